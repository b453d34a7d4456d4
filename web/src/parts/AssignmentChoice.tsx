import { useQuery } from "@tanstack/react-query";
import type { Schema } from "@/api/api";
import { read } from "@/api/read";
import { Wrong } from "./Wrong";
import { day } from "./words";

type Assignment = Schema["Assignment"];

/** What somebody is assigned to, but for what was taken back: what goes on or begins later, and what has passed. */
export function useAssignments(number: string) {
  const list = useQuery({
    ...read("/assignments", { query: { staff: number, limit: 200 } }),
  });
  const all = list.data?.items ?? [];
  return {
    error: list.error,
    open: all.filter((a) => a.when === "now" || a.when === "later"),
    passed: all.filter((a) => a.when === "past"),
  };
}

const words = (a: Assignment) => `${a.template_name} at ${a.place.name}${a.until ? ` until ${day(a.until)}` : ""}`;

/** Chooses among somebody's assignments. What has passed is named and cannot be chosen. */
export function AssignmentChoice({
  legend,
  of: { open, passed, error },
  left,
  leave,
}: {
  legend: string;
  of: ReturnType<typeof useAssignments>;
  left: ReadonlySet<number>; // those that are not chosen
  leave: (left: ReadonlySet<number>) => void;
}) {
  return (
    <fieldset className="space-y-1">
      <legend className="mb-1 text-sm font-semibold">{legend}</legend>
      <Wrong error={error} />
      {open.length === 0 && <p className="text-faded">No assignment is open.</p>}
      {open.map((a) => (
        <label key={a.id} className="flex items-center gap-2.5">
          <input
            type="checkbox"
            className="size-4 accent-damson"
            checked={!left.has(a.id)}
            onChange={(e) => {
              const next = new Set(left);
              if (e.target.checked) next.delete(a.id);
              else next.add(a.id);
              leave(next);
            }}
          />
          {words(a)}
        </label>
      ))}
      {passed.map((a) => (
        <p key={a.id} className="pl-6.5 text-faded">
          {words(a)}: it has ended; assign anew if it is wanted
        </p>
      ))}
    </fieldset>
  );
}
