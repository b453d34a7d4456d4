import { useNavigate, useSearch } from "@tanstack/react-router";
import { useMemo } from "react";
import * as v from "valibot";

/*
 * What stands behind the question mark in the address of each list: its words, filters, order and columns. What is no
 * value of its kind is left out, as whoever typed the address sees the list and not an error.
 */

const optional = <S extends v.GenericSchema>(schema: S) => v.fallback(v.optional(schema), undefined);

/** A text; the router reads 7 as a number and true as a flag. */
const text = () =>
  optional(
    v.pipe(
      v.union([v.string(), v.number(), v.boolean()]),
      v.transform(String),
      v.maxLength(200),
      v.check((written) => written !== ""),
    ),
  );
const oneOf = <const T extends string>(...of: T[]) =>
  optional(v.pipe(v.union([v.string(), v.boolean()]), v.transform(String), v.picklist(of)));
const flag = () => optional(v.boolean());
const count = (most: number) => optional(v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(most)));
/** Some of these with commas; of an order each may have a - for descending. */
const someOf = (of: readonly string[], ordered = false) =>
  optional(
    v.pipe(
      v.string(),
      v.check((written) => written.split(",").every((name) => of.includes(ordered ? name.replace(/^-/, "") : name))),
    ),
  );

export const staffColumns = [
  "name",
  "staff_number",
  "status",
  "works_as",
  "job_title",
  "home_site",
  "engagement",
  "employer",
  "start_date",
  "contract_end",
] as const;
export const staffOrders = staffColumns.filter((c) => c !== "status" && c !== "works_as");

export const searches = {
  "/staff": v.object({
    q: text(),
    status: oneOf("prepared", "active", "left", "locked", "stuck", "owner"),
    engagement: oneOf("employee", "agency", "contractor", "seasonal"),
    site: text(),
    template: text(),
    place: text(),
    team: text(),
    sort: someOf(staffOrders, true),
    columns: someOf(staffColumns),
  }),
  "/teams": v.object({ q: text(), retired: oneOf("false", "true", "all") }),
  "/teams/$code": v.object({ q: text() }),
  "/reports/$kind": v.object({
    site: text(),
    team: text(),
    staff: text(),
    from: text(),
    until: text(),
    days: text(),
    sort: text(),
  }),
  "/leaving": v.object({ site: text(), settled: flag() }),
  "/readiness": v.object({ site: text(), code: text(), prepared: flag() }),
  "/badges": v.object({
    q: text(),
    state: oneOf("stock", "issued", "suspended", "overdue", "lost", "destroyed"),
    site: text(),
    day: oneOf("true", "false"),
    left: flag(),
    sort: oneOf("number", "-number", "holder", "-holder", "until", "-until"),
  }),
  "/templates": v.object({ retired: flag() }),
  "/schedules/$code": v.object({ site: text() }),
  "/qualifications/$code": v.object({
    state: oneOf("counts", "later", "run_out", "withdrawn"),
    site: text(),
    q: text(),
  }),
  "/notices/$code": v.object({ state: oneOf("accepted", "waiting"), q: text() }),
  "/catalogue": v.object({ q: text(), retired: flag(), undecided: flag(), permission: text() }),
  "/compare": v.object({ templates: text(), staff: text(), place: text(), differences: flag() }),
  "/exceptions": v.object({
    template: text(),
    q: text(),
    kind: oneOf("added", "withheld"),
    sort: oneOf("newest", "oldest", "until", "staff"),
    redundant: flag(),
  }),
  "/local-settings": v.object({
    template: text(),
    place: text(),
    q: text(),
    sort: oneOf("newest", "oldest", "until", "place", "template"),
  }),
  "/grid": v.object({
    place: text(),
    permission: text(),
    group: text(),
    template: text(),
    title: text(),
    engagement: text(),
    employer: text(),
    q: text(),
  }),
  "/drafts": v.object({ which: oneOf("applied", "discarded", "everybody") }),
  "/look": v.object({ staff: text(), place: text(), at: text() }),
  "/expiring": v.object({
    days: count(3660),
    kind: oneOf(
      "contract",
      "leaving",
      "assignment",
      "exception",
      "badge",
      "pin",
      "password",
      "certificate",
      "token",
      "bar",
      "lock",
    ),
    site: text(),
    q: text(),
    let_go: oneOf("true", "false", "all"),
  }),
  "/sign-ins": v.object({
    q: text(),
    state: oneOf("signs_in", "first_password", "none", "run_out", "locked"),
    unused: count(3660),
    sort: oneOf("name", "-name", "last", "-last"),
  }),
  "/audit": v.object({ q: text(), action: oneOf("change", "sign-in", "sign-in-refused") }),
};

export type Searched = keyof typeof searches;
export type Search<P extends Searched> = {
  [K in keyof v.InferOutput<(typeof searches)[P]>]?: v.InferOutput<(typeof searches)[P]>[K];
};

/** Reads what stands in the address of a list; whatever does not fit is left out. */
export const validated =
  <P extends Searched>(path: P) =>
  (asked: Record<string, unknown>): Search<P> =>
    kept(v.parse(searches[path] as v.GenericSchema<unknown, object>, asked)) as Search<P>;

/** What narrows nothing does not stand in the address. */
const kept = (search: object) =>
  Object.fromEntries(Object.entries(search).filter(([, value]) => value !== undefined && value !== ""));

/** What stands in the address of this list, and how to put something else there. */
export function useFilters<P extends Searched>(path: P): [Search<P>, (next: Search<P>) => void] {
  const written = JSON.stringify(useSearch({ strict: false } as never)); // with what no list knows
  const search = useMemo(() => validated(path)(JSON.parse(written)), [path, written]);
  const navigate = useNavigate();
  return [search, (next) => navigate({ to: ".", search: kept({ ...search, ...next }) as never, replace: true })];
}
