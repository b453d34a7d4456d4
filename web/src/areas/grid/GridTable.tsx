import { keepPreviousData, useMutation, useQueries, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useVirtualizer, type VirtualItem } from "@tanstack/react-virtual";
import { type KeyboardEvent, memo, useCallback, useEffect, useRef, useState } from "react";
import { api, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { LocalDialog } from "@/areas/locals/LocalDialog";
import { Button } from "@/parts/Button";
import { collect, took } from "@/parts/drafts";
import { Listed } from "@/parts/Listed";
import { Empty } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";
import { howMany } from "@/parts/words";

type Query = {
  place?: string;
  permission?: string;
  under?: string;
  group?: string;
  template?: string;
  title?: string;
  engagement?: "employee" | "agency" | "contractor" | "seasonal";
  employer?: string;
  q?: string;
};
type Row = Schema["GridRow"];
type Column = Schema["GridColumn"];
type Cell = Schema["GridCell"];

const pageRows = 100;
const rowHeight = 34;
const headHeight = 76;
const nameWidth = 230;
const columnWidth = 92;

const looks: Record<string, string> = {
  "": "text-faded",
  template: "",
  local: "bg-inset font-semibold",
  added: "bg-open-wash text-open font-semibold",
  withheld: "bg-shut-wash text-shut font-semibold",
  owner: "text-damson italic",
  below: "text-faded italic",
};
const words = (c: Cell) =>
  c.origin === "local" && !c.level
    ? "none here"
    : c.origin === "withheld"
      ? "withheld"
      : c.origin === "below"
        ? `${c.level} ▾`
        : (c.level ?? "");
const origins: Record<string, string> = {
  "": "not held",
  template: "by a template",
  local: "by a local setting",
  added: "added by exception",
  withheld: "withheld by exception",
  owner: "as an owner",
  below: "not here as a whole, but further in",
};

type Active = { row: number; column: number }; // row or column -1: the whole column or row

/** The first page of the grid, and of the others those that are in sight. */
function useRows(query: Query, inSight: number[]) {
  const rowsOf = (page: number) => ({
    ...read("/grid", {
      query: { ...query, draft: "open", limit: pageRows, ...(page && { after: String(page * pageRows) }) },
    }),
    placeholderData: keepPreviousData,
  });
  const first = useQuery(rowsOf(0));
  const others = inSight.filter((p) => p > 0);
  const more = useQueries({ queries: others.map(rowsOf) });
  const pages = new Map<number, Row[]>([
    [0, first.data?.items ?? []],
    ...others.map((p, i): [number, Row[]] => [p, more[i]?.data?.items ?? []]),
  ]);
  return { first, rowAt: (index: number) => pages.get(Math.floor(index / pageRows))?.[index % pageRows] };
}

/** Puts a level of one cell, or of a whole row or column of all whom the filter keeps, into the draft. */
function useSetting(query: Query, columns: Column[], rowAt: (index: number) => Row | undefined) {
  const of = (column: Column) =>
    query.permission
      ? { permission: query.permission, place: column.key }
      : { permission: column.key, place: query.place ?? "" };
  return useMutation({
    mutationFn: async ({ row, column, level }: Active & { level: string }) => {
      const r = rowAt(row);
      const c = columns[column];
      if (r && c) return collect([{ op: "exception.set", set: { staff: r.staff_number, ...of(c), level } }]);
      const { under, engagement, group: _, ...rest } = query;
      return took(
        await take(
          api.POST("/drafts/{id}/grid", {
            params: { path: { id: "open" } },
            body: {
              ...rest,
              ...(under && { under }),
              ...(engagement && { engagement }),
              columns: c ? [c.key] : columns.map((k) => k.key),
              ...(r && { staff: [r.staff_number] }),
              ...(level && { level }),
            },
          }),
        ),
      );
    },
  });
}

/** The table itself: only what is in sight is drawn, names stay in place, and cells are set with one key. */
export function GridTable({ query }: { query: Query }) {
  const scroller = useRef<HTMLDivElement>(null);
  const [active, setActive] = useState<Active>({ row: 0, column: 0 });
  const [inSight, setInSight] = useState<number[]>([]);
  const { first, rowAt } = useRows(query, inSight);
  const columns = first.data?.columns ?? [];
  const total = first.data?.total ?? 0;
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 8,
    scrollPaddingStart: headHeight,
  });
  const across = useVirtualizer({
    horizontal: true,
    count: columns.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => columnWidth,
    overscan: 3,
    scrollPaddingStart: nameWidth,
  });
  const now = [...new Set(rows.getVirtualItems().map((v) => Math.floor(v.index / pageRows)))];
  if (now.join() !== inSight.join()) setInSight(now);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another grid begins at its first cell
  useEffect(() => {
    setActive({ row: 0, column: 0 });
    scroller.current?.scrollTo(0, 0);
  }, [JSON.stringify(query)]);
  const set = useSetting(query, columns, rowAt);
  const { row, column } = active;
  const go = (nextRow: number, nextColumn: number) => {
    const r = Math.max(-1, Math.min(total - 1, nextRow));
    const c = Math.max(r < 0 ? 0 : -1, Math.min(columns.length - 1, nextColumn));
    setActive({ row: r, column: c });
    set.reset();
    if (r >= 0) rows.scrollToIndex(r);
    if (c >= 0) across.scrollToIndex(c);
  };
  // A row that has not changed is not drawn again while others scroll by.
  const latest = useRef(go);
  latest.current = go;
  const reach = useCallback((r: number, c: number) => {
    scroller.current?.focus();
    latest.current(r, c);
  }, []);
  const why = cannot(first.data?.why_not, rowAt(row));
  const onKey = (e: KeyboardEvent) => {
    const step = stepOf(e.key, active, columns.length);
    const c = columns[column];
    if (e.ctrlKey || e.metaKey || e.altKey) return;
    if (step) go(...step);
    else if (/^[0-9]$/.test(e.key) && c && row >= 0 && c.words[Number(e.key)] !== undefined && !why)
      set.mutate({ row, column, level: c.words[Number(e.key)]! });
    else if ((e.key === "Backspace" || e.key === "Delete") && c && row >= 0 && !why)
      set.mutate({ row, column, level: "" });
    else return;
    e.preventDefault();
  };
  if (!first.data) return <Listed of={first}>{() => null}</Listed>;
  if (!total)
    return (
      <Empty>
        Nobody fits. Whoever is assigned at this place, above it or below it stands here; take a filter away, or choose
        another place.
      </Empty>
    );
  if (!columns.length) return <Empty>No permission applies here. Choose another place or group.</Empty>;
  const width = nameWidth + across.getTotalSize();
  const shown = across.getVirtualItems();
  return (
    <>
      <Listed of={first}>{() => null}</Listed>
      <Strip
        key={`${row} ${column} ${rowAt(row)?.staff_number} ${columns[column]?.key}`}
        row={rowAt(row)}
        column={columns[column]}
        cell={rowAt(row)?.cells[column]}
        total={total}
        local={localOf(query, columns[column])}
        why={why}
        set={(level) => set.mutate({ row, column, level })}
        pending={set.isPending}
        outcome={set.data}
        error={set.error}
      />
      <div
        ref={scroller}
        role="grid"
        aria-label={query.permission ? "People and places" : "People and permissions"}
        aria-rowcount={total + 1}
        aria-colcount={columns.length + 1}
        aria-activedescendant={row >= 0 && column >= 0 ? `cell-${row}-${column}` : undefined}
        tabIndex={0}
        onKeyDown={onKey}
        className="sheet relative h-[calc(100dvh-24.5rem)] min-h-64 overflow-auto overscroll-contain"
      >
        <div style={{ height: headHeight + rows.getTotalSize(), width }} className="relative">
          <Head total={total} columns={columns} shown={shown} width={width} active={active} go={go} />
          {rows.getVirtualItems().map((v) => (
            <GridRow
              key={v.index}
              index={v.index}
              top={headHeight + v.start}
              width={width}
              row={rowAt(v.index)}
              shown={shown}
              at={row === v.index || row < 0 ? column : undefined}
              heading={row < 0}
              go={reach}
            />
          ))}
        </div>
      </div>
      <Legend />
    </>
  );
}

/** Where a key leads from a cell. */
function stepOf(key: string, { row, column }: Active, columns: number): [number, number] | undefined {
  const steps: Record<string, [number, number]> = {
    ArrowDown: [row + 1, column],
    ArrowUp: [row - 1, column],
    ArrowRight: [row, column + 1],
    ArrowLeft: [row, column - 1],
    PageDown: [row + 15, column],
    PageUp: [row - 15, column],
    Home: [row, 0],
    End: [row, columns - 1],
  };
  return steps[key];
}

function Head({
  total,
  columns,
  shown,
  width,
  active: { row, column },
  go,
}: {
  total: number;
  columns: Column[];
  shown: VirtualItem[];
  width: number;
  active: Active;
  go: (row: number, column: number) => void;
}) {
  return (
    <div
      role="row"
      tabIndex={-1}
      aria-rowindex={1}
      className="sticky top-0 z-20 border-b border-edge bg-inset"
      style={{ height: headHeight, width }}
    >
      <div
        role="columnheader"
        tabIndex={-1}
        className="sticky left-0 z-10 flex h-full items-end bg-inset px-3 pb-1 text-sm text-faded"
        style={{ width: nameWidth }}
      >
        {howMany(total, "person", "people")}
      </div>
      {shown.map((v) => {
        const c = columns[v.index]!;
        return (
          <div
            key={c.key}
            role="columnheader"
            tabIndex={-1}
            aria-colindex={v.index + 2}
            className="absolute top-0 h-full"
            style={{ left: nameWidth + v.start, width: columnWidth }}
          >
            <button
              type="button"
              tabIndex={-1}
              title={`${c.group}: ${c.title}${c.why_not_more ? `. ${c.why_not_more}` : ""}`}
              onClick={() => go(-1, v.index)}
              className={`flex size-full items-end px-1.5 pb-1 text-left text-small leading-tight ${row < 0 && column === v.index ? "bg-damson text-sheet" : c.most && c.words.length < 2 ? "text-faded" : ""} ${c.sensitive ? "underline decoration-brass decoration-2 underline-offset-2" : ""}`}
            >
              <span className="line-clamp-4">{c.title}</span>
            </button>
          </div>
        );
      })}
    </div>
  );
}

/** One person across all columns that are in sight. */
const GridRow = memo(function GridRow({
  index,
  top,
  width,
  row: r,
  shown,
  at,
  heading,
  go,
}: {
  index: number;
  top: number;
  width: number;
  row: Row | undefined;
  shown: VirtualItem[];
  at: number | undefined; // which of its columns is chosen, -1: all of it
  heading: boolean; // as the whole column is
  go: (row: number, column: number) => void;
}) {
  return (
    <div
      role="row"
      tabIndex={-1}
      aria-rowindex={index + 2}
      className="absolute border-b border-rule"
      style={{ top, height: rowHeight, width }}
    >
      <div role="rowheader" tabIndex={-1} className="sticky left-0 z-10 h-full" style={{ width: nameWidth }}>
        <button
          type="button"
          tabIndex={-1}
          disabled={!r}
          onClick={() => go(index, -1)}
          title={r && [r.staff_number, r.job_title, ...r.templates].join(" · ")}
          className={`block size-full truncate border-r border-edge px-3 text-left ${at === -1 && !heading ? "bg-damson text-sheet" : "bg-sheet"}`}
        >
          {r ? (
            <>
              {r.name} <span className="text-sm opacity-75">{r.job_title}</span>
            </>
          ) : (
            "…"
          )}
        </button>
      </div>
      {shown.map((h) => {
        const cell = r?.cells[h.index] ?? {};
        const here = at === h.index || (at === -1 && !heading);
        return (
          <div
            key={h.index}
            role="gridcell"
            id={`cell-${index}-${h.index}`}
            aria-colindex={h.index + 2}
            aria-selected={here}
            tabIndex={-1}
            onMouseDown={(e) => {
              e.preventDefault();
              go(index, h.index);
            }}
            className={`absolute top-0 truncate border-r border-rule px-1.5 py-[0.4rem] text-dense ${looks[cell.origin ?? ""]} ${cell.drafted ? "shadow-[inset_0_0_0_2px_var(--color-brass-light)]" : ""} ${here ? "outline-2 outline-offset-[-2px] outline-damson" : ""}`}
            style={{ left: nameWidth + h.start, width: columnWidth, height: rowHeight - 1 }}
          >
            {words(cell)}
          </div>
        );
      })}
    </div>
  );
});

/** Why the chosen cell cannot be set, or undefined where it can. */
function cannot(whole: string | undefined, row: Row | undefined): string | undefined {
  return whole ?? row?.why_not;
}

/** What a local setting for a whole column is about. */
const localOf = (query: Query, column: Column | undefined) =>
  column && {
    template: query.template,
    permission: query.permission ?? column.key,
    place: query.permission ? column.key : query.place,
  };

type StripProps = {
  row?: Row;
  column?: Column;
  cell?: Cell;
  total: number;
  local: { template?: string | undefined; permission: string; place: string | undefined } | undefined;
  why?: string;
  set: (level: string) => void;
  pending: boolean;
  outcome?: Schema["Draft"];
  error: unknown;
};

/** The line above the table: what is chosen, what it rests on, and what it can be set to. */
function Strip({ row, column, cell, total, local, why, set, pending, outcome, error }: StripProps) {
  const [number, setNumber] = useState("");
  const [making, setMaking] = useState(false);
  const choices = column?.words ?? ["none", "full"];
  return (
    <div className="mb-2 min-h-13 rounded-sm border border-rule bg-sheet px-3 py-2" aria-live="polite">
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
        <span className="min-w-52 flex-1">
          {row ? (
            <Link to="/staff/$number" params={{ number: row.staff_number }} className="font-semibold hover:underline">
              {row.name}
            </Link>
          ) : (
            <b>{total === 1 ? "The one person" : `All ${total} people`} that the filter keeps</b>
          )}
          {", "}
          {column ? column.title : <b>the whole row</b>}
          {cell && (
            <span className="text-faded">
              : {cell.level ? `${cell.level}, ` : ""}
              {origins[cell.origin ?? ""]}
              {cell.drafted && <b className="text-soon"> in your draft</b>}
            </span>
          )}
          {(why ?? column?.why_not_more) && (
            <span className="block text-sm text-soon">{why ?? column?.why_not_more}</span>
          )}
        </span>
        {!why && (
          <span role="group" aria-label="Set to" className="flex items-center gap-1.5">
            {choices.map((word, i) => (
              <Button
                key={word}
                className="min-h-8 px-2.5"
                disabled={pending}
                onClick={() => set(word)}
                aria-keyshortcuts={String(i)}
              >
                {i === 0 ? "Withhold" : word}
              </Button>
            ))}
            {column?.unit && column.most !== "0" && (
              <form
                className="flex items-center gap-1"
                onSubmit={(e) => {
                  e.preventDefault();
                  if (number) set(number);
                }}
              >
                <input
                  type="number"
                  min={1}
                  max={column.most}
                  aria-label={`Up to, in ${column.unit}`}
                  value={number}
                  onChange={(e) => setNumber(e.target.value)}
                  className="h-8 w-20 rounded-sm border border-edge bg-sheet px-1.5 text-right"
                />
                <span className="text-sm text-faded">{column.unit}</span>
                <Button type="submit" className="min-h-8 px-2.5" disabled={pending || !number}>
                  Set
                </Button>
              </form>
            )}
            <Button className="min-h-8 px-2.5" disabled={pending} onClick={() => set("")}>
              As the template
            </Button>
            {!row && local && (
              <Button className="min-h-8 px-2.5" onClick={() => setMaking(true)}>
                For a template here…
              </Button>
            )}
          </span>
        )}
      </div>
      <Wrong error={error} />
      {making && local && <LocalDialog of={local} close={() => setMaking(false)} />}
      {outcome?.skipped && (
        <details className="mt-1 text-sm">
          <summary className="font-medium text-soon">
            {outcome.skipped.length} left out, as the rules refuse them
          </summary>
          <ul className="max-h-32 overflow-auto">
            {outcome.skipped.map((s) => (
              <li key={`${s.staff.staff_number} ${s.column}`}>
                {s.staff.name}, {s.column}: {s.why}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}

function Legend() {
  const entries: [string, string][] = [
    ["template", "by a template"],
    ["local", "by a local setting"],
    ["added", "added by exception"],
    ["withheld", "withheld by exception"],
    ["owner", "as an owner"],
    ["below", "only further in ▾"],
  ];
  return (
    <p className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-sm text-faded">
      {entries.map(([origin, text]) => (
        <span key={origin} className="flex items-center gap-1.5">
          <span className={`rounded-sm border border-rule px-1.5 ${looks[origin]}`}>run</span> {text}
        </span>
      ))}
      <span className="flex items-center gap-1.5">
        <span className="rounded-sm px-1.5 shadow-[inset_0_0_0_2px_var(--color-brass-light)]">run</span> in your draft
      </span>
      <span>
        empty: not held · <kbd>arrows</kbd> walk · <kbd>0</kbd> withholds, <kbd>1</kbd> <kbd>2</kbd>… set a level ·{" "}
        <kbd>Backspace</kbd> as the template · a name or a heading chooses the whole row or column
      </span>
    </p>
  );
}
