import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import {
  createColumnHelper,
  flexRender,
  getCoreRowModel,
  type SortingState,
  useReactTable,
  type VisibilityState,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp, Columns3 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import { api, type Staff, take } from "@/api/api";
import { StaffTabs } from "@/areas/teams/tabs";
import { useTeams } from "@/parts/choices";
import {
  Button,
  buttonLook,
  day,
  Empty,
  engagementWord,
  inputLook,
  Loading,
  Page,
  StaffMark,
  TakeAlong,
  Wrong,
} from "@/parts/parts";
import { type Chosen, ManyBar } from "./Many";

type Search = Partial<Record<"q" | "status" | "engagement" | "site" | "template" | "team" | "sort", string>>;

const sortingOf = (sort = "name"): SortingState =>
  sort.split(",").map((f) => (f.startsWith("-") ? { id: f.slice(1), desc: true } : { id: f, desc: false }));

const of = createColumnHelper<Staff>();
const columns = [
  of.accessor((s) => `${s.family_name}, ${s.given_name}`, {
    id: "name",
    header: "Name",
    size: 230,
    cell: (c) => (
      <Link to="/staff/$number" params={{ number: c.row.original.staff_number }} className="font-[600] hover:underline">
        {c.getValue()}
      </Link>
    ),
  }),
  of.accessor("staff_number", { header: "Number", size: 95 }),
  of.display({ id: "status", header: "Status", size: 125, cell: (c) => <StaffMark staff={c.row.original} /> }),
  of.accessor("job_title", { header: "Job title", size: 170 }),
  of.accessor((s) => s.templates.join(", "), { id: "works_as", header: "Works as", size: 180, enableSorting: false }),
  of.accessor((s) => s.home_site.name, { id: "home_site", header: "Home site", size: 190 }),
  of.accessor((s) => (s.engagement ? engagementWord[s.engagement] : ""), {
    id: "engagement",
    header: "Engagement",
    size: 120,
  }),
  of.accessor("employer", { header: "Employer", size: 190 }),
  of.accessor((s) => day(s.start_date), { id: "start_date", header: "Start", size: 120 }),
  of.accessor((s) => day(s.leaving_date || s.contract_end), { id: "contract_end", header: "Ends", size: 120 }),
];
const sortable = new Set([
  "name",
  "staff_number",
  "job_title",
  "home_site",
  "engagement",
  "employer",
  "start_date",
  "contract_end",
]);

/** The list of staff: search, filter, sort, choose columns, take it along as CSV. */
export function StaffList() {
  const navigate = useNavigate();
  const asking = useSearch({ strict: false }) as Search;
  const { q = "", status = "", engagement = "", site = "", template = "", team = "" } = asking;
  const put = (next: Partial<Search>) =>
    navigate({
      to: "/staff",
      replace: true,
      search: Object.fromEntries(Object.entries({ ...asking, ...next }).filter(([, value]) => value)),
    });
  const sorting = useMemo(() => sortingOf(asking.sort), [asking.sort]);
  const [shown, setShown] = useState<VisibilityState>({ employer: false, start_date: false, works_as: true });
  const search = useDeferredValue(q.trim());
  const filters = useMemo(
    () => ({
      ...(search && { q: search }),
      ...(status === "locked"
        ? { locked: "true" as const }
        : status === "stuck"
          ? { readiness: "stuck" }
          : status && { status: status as Staff["status"] }),
      ...(engagement && { engagement: engagement as Staff["engagement"] }),
      ...(site && { site }),
      ...(template && { template }),
      ...(team && { team }),
      sort: asking.sort || "name",
    }),
    [search, status, engagement, site, template, team, asking.sort],
  );
  const sites = useQuery({
    queryKey: ["places", "sites"],
    queryFn: () => take(api.GET("/places", { params: { query: { kind: "site" } } })),
  });
  const templates = useQuery({
    queryKey: ["templates"],
    queryFn: () => take(api.GET("/templates", { params: { query: { limit: 500 } } })),
  });
  const teams = useTeams();
  const pages = useInfiniteQuery({
    queryKey: ["staff", filters],
    queryFn: ({ pageParam }) =>
      take(
        api.GET("/staff", { params: { query: { ...filters, limit: 200, ...(pageParam && { after: pageParam }) } } }),
      ),
    initialPageParam: "",
    getNextPageParam: (last) => last.next || undefined,
    placeholderData: keepPreviousData,
  });
  const rows = useMemo(() => pages.data?.pages.flatMap((p) => p.items) ?? [], [pages.data]);
  const total = pages.data?.pages[0]?.total ?? 0;
  const table = useReactTable({
    data: rows,
    columns,
    state: { sorting, columnVisibility: shown },
    onSortingChange: (next) => {
      const sorted = typeof next === "function" ? next(sorting) : next;
      put({ sort: sorted.map((s) => (s.desc ? "-" : "") + s.id).join(",") });
    },
    onColumnVisibilityChange: setShown,
    getCoreRowModel: getCoreRowModel(),
    manualSorting: true,
  });
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [everyone, setEveryone] = useState(false);
  const { sort: _, ...filter } = filters;
  const asked = JSON.stringify(filter);
  // Who is chosen was chosen of those whom this filter keeps
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is the filter that changes
  useEffect(() => {
    setPicked(new Set());
    setEveryone(false);
  }, [asked]);
  const chosen: Chosen = everyone
    ? { numbers: [], filter, count: total }
    : { numbers: [...picked], count: picked.size };
  const toggle = (number: string) => {
    const next = new Set(everyone ? rows.map((r) => r.staff_number) : picked);
    if (!next.delete(number)) next.add(number);
    setEveryone(false);
    setPicked(next);
  };
  const allLoaded = rows.length > 0 && (everyone || picked.size >= rows.length);
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 38,
    overscan: 12,
  });
  const lastShown = virtual.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (lastShown > rows.length - 40 && pages.hasNextPage && !pages.isFetchingNextPage) pages.fetchNextPage();
  }, [lastShown, rows.length, pages]);
  const narrow = [q, status, engagement, site, template, team].some(Boolean);

  return (
    <Page
      title="Staff"
      lead={
        <span role="status">
          {total.toLocaleString("en-IE")} {total === 1 ? "person" : "people"}
          {narrow && " fit"}
        </span>
      }
      acts={
        <>
          <DropdownMenu.Root>
            <DropdownMenu.Trigger className={buttonLook()}>
              <Columns3 size={16} aria-hidden /> Columns
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content
                align="end"
                sideOffset={4}
                className="z-50 min-w-48 rounded-md border border-rule bg-sheet py-1 shadow-raised"
              >
                {table.getAllLeafColumns().map((c) => (
                  <DropdownMenu.CheckboxItem
                    key={c.id}
                    checked={c.getIsVisible()}
                    disabled={c.id === "name"}
                    onSelect={(e) => e.preventDefault()}
                    onCheckedChange={(v) => c.toggleVisibility(v)}
                    className="flex cursor-pointer items-center gap-2 px-3 py-1.5 outline-none data-disabled:text-faded data-highlighted:bg-inset"
                  >
                    <span className="w-4 text-brass">
                      <DropdownMenu.ItemIndicator>✓</DropdownMenu.ItemIndicator>
                    </span>
                    {String(c.columnDef.header)}
                  </DropdownMenu.CheckboxItem>
                ))}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
          <TakeAlong from="/staff" query={filters as Record<string, string>} file="staff.csv" />
        </>
      }
    >
      <StaffTabs />
      <div className="mb-3 grid grid-cols-2 gap-2 md:grid-cols-[1.8fr_1fr_1.2fr_1.15fr_1.15fr_1.15fr]">
        <input
          aria-label="Search staff"
          placeholder="Name, number, job title, employer"
          value={q}
          onChange={(e) => put({ q: e.target.value })}
          className={`${inputLook} col-span-2 md:col-span-1`}
        />
        <Choice label="Status" value={status} set={(status) => put({ status })} all="Any status">
          <option value="active">Active</option>
          <option value="prepared">Prepared</option>
          <option value="left">Left</option>
          <option value="locked">Locked</option>
          <option value="stuck">Cannot work as intended</option>
        </Choice>
        <Choice label="Engagement" value={engagement} set={(engagement) => put({ engagement })} all="Any engagement">
          {Object.entries(engagementWord).map(([key, word]) => (
            <option key={key} value={key}>
              {word}
            </option>
          ))}
        </Choice>
        <Choice label="Home site" value={site} set={(site) => put({ site })} all="Any site">
          {sites.data?.items.map((s) => (
            <option key={s.code} value={s.code}>
              {s.name}
            </option>
          ))}
        </Choice>
        <Choice label="Template" value={template} set={(template) => put({ template })} all="Any template">
          {templates.data?.items.map((t) => (
            <option key={t.code} value={t.code}>
              {t.name}
            </option>
          ))}
        </Choice>
        <Choice label="Team" value={team} set={(team) => put({ team })} all="Any team">
          {teams.data?.items.map((t) => (
            <option key={t.code} value={t.code}>
              {t.name}
            </option>
          ))}
        </Choice>
      </div>
      <ManyBar
        chosen={chosen}
        clear={() => {
          setPicked(new Set());
          setEveryone(false);
        }}
      />
      {allLoaded && !everyone && total > rows.length && (
        <p className="mb-3">
          The {rows.length} people shown are chosen.{" "}
          <Button look="quiet" onClick={() => setEveryone(true)}>
            Choose all {total.toLocaleString("en-IE")} that fit
          </Button>
        </p>
      )}
      <Wrong error={pages.error} />
      {pages.isPending ? (
        <Loading />
      ) : rows.length === 0 ? (
        <Empty>
          {narrow
            ? "Nobody fits. Take a filter away, or search for part of a name."
            : "Nobody is on record yet. Begin with Enrol."}
        </Empty>
      ) : (
        <section
          ref={box}
          aria-label="Staff"
          className="sheet h-[calc(100dvh-19rem)] min-h-80 overflow-auto"
          tabIndex={-1}
        >
          <table className="grid w-full" aria-rowcount={total}>
            <thead className="sticky top-0 z-10 grid border-b border-edge bg-inset">
              {table.getHeaderGroups().map((group) => (
                <tr key={group.id} className="flex min-w-full">
                  <th className="w-10 shrink-0 px-3 py-1.5">
                    <input
                      type="checkbox"
                      aria-label={`Choose all ${total} that fit`}
                      checked={allLoaded}
                      onChange={(e) => {
                        setEveryone(e.target.checked);
                        setPicked(new Set());
                      }}
                      className="size-4 accent-damson"
                    />
                  </th>
                  {group.headers.map((h) => {
                    const dir = h.column.getIsSorted();
                    const sorts = sortable.has(h.column.id);
                    return (
                      <th
                        key={h.id}
                        style={{ width: h.getSize(), flexGrow: h.getSize() }}
                        aria-sort={dir ? (dir === "asc" ? "ascending" : "descending") : undefined}
                        className="px-3 py-1.5 text-left text-sm font-[600]"
                      >
                        {sorts ? (
                          <button
                            type="button"
                            onClick={h.column.getToggleSortingHandler()}
                            className="inline-flex items-center gap-1 hover:underline"
                          >
                            {flexRender(h.column.columnDef.header, h.getContext())}
                            {dir === "asc" && <ArrowUp size={14} aria-hidden />}
                            {dir === "desc" && <ArrowDown size={14} aria-hidden />}
                          </button>
                        ) : (
                          flexRender(h.column.columnDef.header, h.getContext())
                        )}
                      </th>
                    );
                  })}
                </tr>
              ))}
            </thead>
            <tbody className="relative grid" style={{ height: virtual.getTotalSize() }}>
              {virtual.getVirtualItems().map((v) => {
                const row = table.getRowModel().rows[v.index]!;
                return (
                  <tr
                    key={row.id}
                    aria-rowindex={v.index + 2}
                    className="absolute flex w-full cursor-pointer border-b border-rule hover:bg-inset"
                    style={{ transform: `translateY(${v.start}px)`, height: v.size }}
                    onClick={() => navigate({ to: "/staff/$number", params: { number: row.original.staff_number } })}
                  >
                    {/* biome-ignore lint/a11y/useKeyWithClickEvents: the box in it is what takes the keys */}
                    <td className="w-10 shrink-0 px-3 py-2" onClick={(e) => e.stopPropagation()}>
                      <input
                        type="checkbox"
                        aria-label={`Choose ${row.original.given_name} ${row.original.family_name}`}
                        checked={everyone || picked.has(row.original.staff_number)}
                        onChange={() => toggle(row.original.staff_number)}
                        className="size-4 accent-damson"
                      />
                    </td>
                    {row.getVisibleCells().map((cell) => (
                      <td
                        key={cell.id}
                        style={{ width: cell.column.getSize(), flexGrow: cell.column.getSize() }}
                        className="truncate px-3 py-1.5"
                      >
                        {flexRender(cell.column.columnDef.cell, cell.getContext())}
                      </td>
                    ))}
                  </tr>
                );
              })}
            </tbody>
          </table>
        </section>
      )}
    </Page>
  );
}

function Choice({
  label,
  value,
  set,
  all,
  children,
}: {
  label: string;
  value: string;
  set: (v: string) => void;
  all: string;
  children: React.ReactNode;
}) {
  return (
    <select aria-label={label} value={value} onChange={(e) => set(e.target.value)} className={inputLook}>
      <option value="">{all}</option>
      {children}
    </select>
  );
}
