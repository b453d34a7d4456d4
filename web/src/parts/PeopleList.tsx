import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { ArrowDown, ArrowUp } from "lucide-react";
import { type ReactNode, useDeferredValue, useState } from "react";
import type { Schema } from "@/api/api";
import { day, inputLook, Loading, TakeAlong, Wrong } from "./parts";

type Row = { staff_number: string; name: string; level: string; until?: string; ends?: string };
type Sort = "name" | "-name" | "until" | "-until";
/** How a list of people is asked for: the words searched and the order. */
export type PeopleAsked = { q?: string; sort: Sort; limit: number };

const most = 500;

/** The people who can do something: searched, ordered by name or end, exported. */
export function PeopleList<T extends Row>({
  about,
  enabled = true,
  read,
  from,
  query,
  columns,
  scale,
  empty,
  said,
  className,
}: {
  about: unknown[];
  enabled?: boolean;
  read: (asked: PeopleAsked) => Promise<{ items: T[]; total: number }>;
  from: string;
  query?: Record<string, string>;
  columns: { title: string; of: (row: T) => ReactNode }[];
  scale?: Schema["Scale"];
  empty: ReactNode;
  said: (total: number) => string;
  className: string;
}) {
  const [typed, setTyped] = useState("");
  const [sort, setSort] = useState<Sort>("name");
  const q = useDeferredValue(typed.trim());
  const list = useQuery({
    queryKey: ["people", about, q, sort],
    queryFn: () => read({ ...(q && { q }), sort, limit: most }),
    // While others are searched for those before stay; those of another place or permission do not.
    placeholderData: (before, asked) =>
      JSON.stringify(asked?.queryKey[1]) === JSON.stringify(about) ? before : undefined,
    retry: false,
    enabled,
  });
  if (!enabled) return null;
  const levels = scale && scale.kind !== "switch";
  const head = (title: string, field: "name" | "until") => (
    <th
      aria-sort={sort === field ? "ascending" : sort === `-${field}` ? "descending" : undefined}
      className={`py-1.5 font-[600] ${field === "name" ? "px-3" : "pr-3"}`}
    >
      <button
        type="button"
        className="inline-flex items-center gap-1 hover:underline"
        onClick={() => setSort(sort === field ? `-${field}` : field)}
      >
        {title}
        {sort === field && <ArrowUp size={14} aria-hidden />}
        {sort === `-${field}` && <ArrowDown size={14} aria-hidden />}
      </button>
    </th>
  );
  return (
    <>
      <div className="mb-2 flex items-center gap-2">
        <input
          aria-label="Search these people"
          placeholder="Name, number, title, template or place"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          className={inputLook}
        />
        <TakeAlong from={from} query={{ ...query, ...(q && { q }), sort }} file="people.csv" />
      </div>
      <Wrong error={list.error} />
      {list.isFetching && !list.data && <Loading />}
      {list.data && (
        <p role="status" className="mb-2 text-sm text-faded">
          {said(list.data.total)}
          {list.data.total > most && ` The first ${most} are shown: search, or take the CSV for all.`}
        </p>
      )}
      {list.data?.total === 0 && <p className="text-faded">{q ? "Nobody fits." : empty}</p>}
      {list.data && list.data.total > 0 && (
        <div className={`sheet overflow-auto ${className}`}>
          <table className="w-full">
            <thead className="sticky top-0 bg-inset text-left text-sm">
              <tr>
                {head("Name", "name")}
                {columns.map((c) => (
                  <th key={c.title} className="pr-3 font-[600]">
                    {c.title}
                  </th>
                ))}
                {levels && <th className="pr-3 font-[600]">Level</th>}
                {head("Until", "until")}
              </tr>
            </thead>
            <tbody>
              {list.data.items.map((row, i) => (
                // Somebody may hold the same twice, and the order is the service's.
                // biome-ignore lint/suspicious/noArrayIndexKey: rows hold nothing of their own
                <tr key={`${row.staff_number} ${i}`} className="border-t border-rule">
                  <td className="px-3 py-1.5">
                    <Link
                      to="/staff/$number"
                      params={{ number: row.staff_number }}
                      className="font-[600] hover:underline"
                    >
                      {row.name}
                    </Link>
                  </td>
                  {columns.map((c) => (
                    <td key={c.title} className="pr-3">
                      {c.of(row)}
                    </td>
                  ))}
                  {levels && (
                    <td className="pr-3 whitespace-nowrap">
                      {row.level} {scale.unit}
                    </td>
                  )}
                  <td className="pr-3 whitespace-nowrap">
                    {day(row.until) || "open"}
                    {row.ends && <span className="block text-sm text-faded">{row.ends}</span>}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}
