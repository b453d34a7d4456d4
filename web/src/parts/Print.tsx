import { useMutation } from "@tanstack/react-query";
import { Printer } from "lucide-react";
import type { ComponentProps } from "react";
import { download } from "@/api/api";
import { Button } from "./Button";
import { Wrong } from "./Wrong";

type Sheet = { from: string; file: string; query?: Record<string, string | number | boolean>; method?: "POST" };

/** The one way to print: a sheet that the service draws, as a PDF; without one, the page as it is on show. */
export function Print({
  sheet,
  children = "Print",
  ...rest
}: Omit<ComponentProps<typeof Button>, "onClick" | "type"> & { sheet?: Sheet }) {
  const printing = useMutation({
    mutationFn: async (of: Sheet) =>
      download(of.from, of.file, { query: of.query, type: "application/pdf", ...(of.method && { method: of.method }) }),
  });
  return (
    <>
      <Button
        {...rest}
        onClick={() => (sheet ? printing.mutate(sheet) : window.print())}
        disabled={rest.disabled || printing.isPending}
      >
        <Printer size={16} aria-hidden /> {children}
      </Button>
      {printing.error && (
        <div className="order-last basis-full">
          <Wrong error={printing.error} />
        </div>
      )}
    </>
  );
}
