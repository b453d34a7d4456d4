import { useNavigate } from "@tanstack/react-router";
import { flexRender, type Table } from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp, Columns3 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { memo, useCallback, useEffect, useRef } from "react";
import type { Staff } from "@/api/api";
import { buttonLook } from "@/parts/Button";
import { sortable } from "./columns";

/** Who is chosen of a list, and how that is changed. */
export type Choosing = {
  has: (number: string) => boolean;
  all: boolean;
  toggle: (number: string) => void;
  choose: (all: boolean) => void;
};

/** The table itself, of which only what is in sight is drawn. */
export function StaffTable({
  table,
  total,
  choosing,
  more,
}: {
  table: Table<Staff>;
  total: number;
  choosing: Choosing;
  more: () => void; // reads the next page, where there is one
}) {
  const rows = table.getRowModel().rows;
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 38,
    overscan: 12,
  });
  // A row that has not changed is not drawn again while others scroll by.
  const navigate = useNavigate();
  const columns = table.getVisibleLeafColumns();
  const latest = useRef(choosing.toggle);
  latest.current = choosing.toggle;
  const toggle = useCallback((number: string) => latest.current(number), []);
  const open = useCallback((number: string) => navigate({ to: "/staff/$number", params: { number } }), [navigate]);
  const lastShown = virtual.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (lastShown > rows.length - 40) more();
  }, [lastShown, rows.length, more]);
  return (
    <section ref={box} aria-label="Staff" className="sheet h-[calc(100dvh-19rem)] min-h-80 overflow-auto" tabIndex={-1}>
      <table className="grid w-full max-lg:min-w-[62rem]" aria-rowcount={total}>
        <Head table={table} total={total} choosing={choosing} />
        <tbody className="relative grid" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => (
            <Row
              key={rows[v.index]!.id}
              row={rows[v.index]!}
              columns={columns}
              index={v.index}
              start={v.start}
              size={v.size}
              chosen={choosing.has(rows[v.index]!.original.staff_number)}
              toggle={toggle}
              open={open}
            />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Head({ table, total, choosing }: { table: Table<Staff>; total: number; choosing: Choosing }) {
  return (
    <thead className="sticky top-0 z-10 grid border-b border-edge bg-inset">
      {table.getHeaderGroups().map((group) => (
        <tr key={group.id} className="flex min-w-full">
          <th className="w-10 shrink-0 px-3 py-1.5">
            <input
              type="checkbox"
              aria-label={`Choose all ${total} that fit`}
              checked={choosing.all}
              onChange={(e) => choosing.choose(e.target.checked)}
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
                className="px-3 py-1.5 text-left text-sm font-semibold"
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
  );
}

const Row = memo(function Row({
  row,
  index,
  start,
  size,
  chosen,
  toggle,
  open,
}: {
  row: ReturnType<Table<Staff>["getRowModel"]>["rows"][number];
  columns: unknown; // that are shown: with others it is drawn again
  index: number;
  start: number;
  size: number;
  chosen: boolean;
  toggle: (number: string) => void;
  open: (number: string) => void;
}) {
  const number = row.original.staff_number;
  return (
    <tr
      aria-rowindex={index + 2}
      className="absolute flex w-full cursor-pointer border-b border-rule hover:bg-inset"
      style={{ transform: `translateY(${start}px)`, height: size }}
      onClick={() => open(number)}
    >
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: the box in it is what takes the keys */}
      <td className="w-10 shrink-0 px-3 py-2" onClick={(e) => e.stopPropagation()}>
        <input
          type="checkbox"
          aria-label={`Choose ${row.original.given_name} ${row.original.family_name}`}
          checked={chosen}
          onChange={() => toggle(number)}
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
});

/** Which columns are shown. */
export function ColumnsMenu({ table }: { table: Table<Staff> }) {
  return (
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
  );
}
