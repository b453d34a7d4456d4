import { Link } from "@tanstack/react-router";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import type { Staff } from "@/api/api";
import { StaffMark } from "@/parts/Mark";
import { day } from "@/parts/words";
import type { Choosing } from "./StaffTable";

/** The list of staff on a phone: a card for each, of which only what is in sight is drawn. */
export function StaffCards({
  rows,
  total,
  choosing,
  more,
}: {
  rows: Staff[];
  total: number;
  choosing: Choosing;
  more: () => void; // reads the next page, where there is one
}) {
  const box = useRef<HTMLElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => 84,
    overscan: 8,
  });
  const last = virtual.getVirtualItems().at(-1)?.index ?? 0;
  useEffect(() => {
    if (last > rows.length - 40) more();
  }, [last, rows.length, more]);
  return (
    <section ref={box} aria-label="Staff" className="sheet h-[calc(100dvh-9rem)] min-h-80 overflow-auto" tabIndex={-1}>
      <ul className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((v) => {
          const s = rows[v.index]!;
          const name = `${s.family_name}, ${s.given_name}`;
          return (
            <li
              key={s.staff_number}
              data-index={v.index}
              ref={virtual.measureElement}
              aria-posinset={v.index + 1}
              aria-setsize={total}
              className="absolute flex w-full items-start gap-3 border-b border-rule px-3 py-2.5"
              style={{ transform: `translateY(${v.start}px)` }}
            >
              <input
                type="checkbox"
                aria-label={`Choose ${s.given_name} ${s.family_name}`}
                checked={choosing.has(s.staff_number)}
                onChange={() => choosing.toggle(s.staff_number)}
                className="mt-1 size-5 shrink-0 accent-damson"
              />
              <div className="min-w-0 grow">
                <div className="flex flex-wrap items-center justify-between gap-x-3">
                  <Link to="/staff/$number" params={{ number: s.staff_number }} className="font-semibold">
                    {name}
                  </Link>
                  <StaffMark staff={s} />
                </div>
                <div className="text-sm text-faded">
                  {[s.staff_number, s.job_title, s.home_site.name].filter(Boolean).join(" · ")}
                  {(s.leaving_date || s.contract_end) && `, ends ${day(s.leaving_date || s.contract_end)}`}
                </div>
              </div>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
