import { useMutation } from "@tanstack/react-query";
import { Download } from "lucide-react";
import type { ComponentProps } from "react";
import { download } from "@/api/api";
import { Button } from "./Button";
import { Wrong } from "./Wrong";

const xlsx = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";

/** What a list is taken along as, besides CSV. */
const others = [
  { name: "XLSX", type: xlsx, ending: ".xlsx" },
  { name: "PDF", type: "application/pdf", ending: ".pdf" },
];

/** A button that takes something along as a file, and says why where it can't: a list, where nothing else is said, as CSV or as a workbook. */
export function TakeAlong({
  from,
  query,
  file,
  type,
  children = "CSV",
  ...rest
}: Omit<ComponentProps<typeof Button>, "type"> & {
  from: string;
  query?: Record<string, string | number | boolean>;
  file: string;
  type?: string;
}) {
  const taking = useMutation({
    mutationFn: (as: string | undefined) =>
      download(from, file.replace(/\.csv$/, others.find((o) => o.type === as)?.ending ?? ".csv"), { query, type: as }),
  });
  const list = !type && file.endsWith(".csv");
  return (
    <>
      <span className="inline-flex">
        <Button
          {...rest}
          className={list ? "rounded-r-none" : ""}
          onClick={() => taking.mutate(type)}
          disabled={rest.disabled || taking.isPending}
        >
          <Download size={16} aria-hidden /> {children}
        </Button>
        {list &&
          others.map((o, i) => (
            <Button
              {...rest}
              key={o.name}
              className={`-ml-px rounded-l-none ${i < others.length - 1 ? "rounded-r-none" : ""}`}
              onClick={() => taking.mutate(o.type)}
              disabled={rest.disabled || taking.isPending}
            >
              {o.name}
            </Button>
          ))}
      </span>
      {taking.error && (
        <div className="order-last basis-full">
          <Wrong error={taking.error} />
        </div>
      )}
    </>
  );
}
