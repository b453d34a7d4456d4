import { type QueryKey, type UseQueryOptions, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { ArrowDown, ArrowUp } from "lucide-react";
import { type ReactNode, useDeferredValue, useState } from "react";
import type { Schema } from "@/api/api";
import { SearchBox } from "./fields";
import { Listed } from "./Listed";
import { TakeAlong } from "./TakeAlong";
import { day } from "./words";

type Row = { staff_number: string; name: string; level: string; until?: string; ends?: string };
type Sort = "name" | "-name" | "until" | "-until";
/** How a list of people is asked for: the words searched and the order. */
export type PeopleAsked = { q?: string; sort: Sort; limit: number };

type Found<T> = { items: T[]; total: number };

const most = 500;

/** The people who can do something: searched, ordered by name or end, exported. */
export function PeopleList<T extends Row, K extends QueryKey>({
  about,
  enabled = true,
  people,
  from,
  query,
  columns,
  scale,
  empty,
  said,
  className,
}: {
  about: string;
  enabled?: boolean;
  people: (asked: PeopleAsked) => UseQueryOptions<Found<T>, Error, Found<T>, K>;
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
  const list = useQuery({ ...people({ ...(q && { q }), sort, limit: most }), retry: false, enabled });
  // While others are searched for those before stay; those of another place or permission do not.
  const [before, setBefore] = useState<{ about: string; found: Found<T> }>();
  if (list.data && before?.found !== list.data) setBefore({ about, found: list.data });
  const found = list.data ?? (before?.about === about ? before.found : undefined);
  if (!enabled) return null;
  const levels = scale && scale.kind !== "switch";
  const head = (title: string, field: "name" | "until") => (
    <th
      aria-sort={sort === field ? "ascending" : sort === `-${field}` ? "descending" : undefined}
      className={`py-1.5 font-semibold ${field === "name" ? "px-3" : "pr-3"}`}
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
      <div className="mb-2 flex items-end gap-2">
        <div className="grow">
          <SearchBox
            label="Search these people"
            hint="Name, number, title, template or place"
            value={typed}
            onChange={(words) => setTyped(words ?? "")}
          />
        </div>
        <TakeAlong from={from} query={{ ...query, ...(q && { q }), sort }} file="people.csv" />
      </div>
      {!found && <Listed of={list}>{() => null}</Listed>}
      {found && (
        <p role="status" className="mb-2 text-sm text-faded">
          {said(found.total)}
          {found.total > most && ` The first ${most} are shown: search, or take the CSV for all.`}
        </p>
      )}
      {found?.total === 0 && <p className="text-faded">{q ? "Nobody fits." : empty}</p>}
      {found && found.total > 0 && (
        <div className={`sheet overflow-auto ${className}`}>
          <table className="w-full">
            <thead className="sticky top-0 bg-inset text-left text-sm">
              <tr>
                {head("Name", "name")}
                {columns.map((c) => (
                  <th key={c.title} className="pr-3 font-semibold">
                    {c.title}
                  </th>
                ))}
                {levels && <th className="pr-3 font-semibold">Level</th>}
                {head("Until", "until")}
              </tr>
            </thead>
            <tbody>
              {found.items.map((row, i) => (
                // Somebody may hold the same twice, and the order is the service's.
                // biome-ignore lint/suspicious/noArrayIndexKey: rows hold nothing of their own
                <tr key={`${row.staff_number} ${i}`} className="border-t border-rule">
                  <td className="px-3 py-1.5">
                    <Link
                      to="/staff/$number"
                      params={{ number: row.staff_number }}
                      className="font-semibold hover:underline"
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
