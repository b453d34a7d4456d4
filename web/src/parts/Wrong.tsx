import { AlertTriangle } from "lucide-react";
import { Refusal } from "@/api/api";

/** What went wrong, in the service's own sentence. */
export function Wrong({ error }: { error: unknown }) {
  if (!error) return null;
  const text =
    error instanceof Refusal ? error.message : "Something went wrong in this page. Reload it; nothing was changed.";
  return (
    <p role="alert" className="flex gap-2 rounded-sm border border-shut bg-shut-wash px-3 py-2 font-medium text-shut">
      <AlertTriangle size={18} className="mt-0.5 shrink-0" aria-hidden />
      {text}
    </p>
  );
}
