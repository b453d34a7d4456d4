import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "@/api/api";
import { paged } from "@/api/read";
import { Button } from "@/parts/Button";
import { inputLook, SearchBox } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { type Import, type Outcome, outcomes, type Row, useEdit } from "./queries";

const order: Outcome[] = ["faulty", "asked", "new", "update", "back", "same", "in", "out"];

/** The rows: what would become of each, and all that is wrong with it, to be mended where it stands. */
export function RowsPart({ of }: { of: Import }) {
  const wrong = (of.counts.faulty ?? 0) + (of.counts.asked ?? 0);
  const [chosen, setChosen] = useState<Outcome[]>();
  const shown = chosen ?? (wrong > 0 ? (["faulty", "asked"] as Outcome[]) : []);
  const [q, setQ] = useState("");
  const rows = useInfiniteQuery({
    ...paged("/imports/{id}/rows", {
      path: { id: of.id },
      query: { limit: 50, ...(shown.length && { outcome: shown }), ...(q && { q }) },
    }),
    placeholderData: keepPreviousData,
  });
  const items = rows.data?.pages.flatMap((p) => p.items) ?? [];
  const toggle = (o: Outcome) => setChosen(shown.includes(o) ? shown.filter((other) => other !== o) : [...shown, o]);
  return (
    <section aria-label="Rows">
      <div className="mb-3 flex flex-wrap items-end gap-2">
        {order
          .filter((o) => of.counts[o])
          .map((o) => (
            <button
              key={o}
              type="button"
              aria-pressed={shown.includes(o)}
              onClick={() => toggle(o)}
              className={`rounded-sm border px-2.5 py-1 ${shown.includes(o) ? "border-damson bg-inset font-semibold" : "border-edge bg-sheet"}`}
            >
              {of.counts[o]} {outcomes[o].word.toLowerCase()}
            </button>
          ))}
        {shown.length > 0 && (
          <Button look="quiet" onClick={() => setChosen([])}>
            All {of.rows} rows
          </Button>
        )}
        <div className="ml-auto w-52">
          <SearchBox label="Search rows" hint="Words of the row" value={q} onChange={(q) => setQ(q ?? "")} />
        </div>
        {wrong > 0 && (
          <TakeAlong
            from={`/imports/${of.id}/file`}
            query={{ outcome: "faulty,asked" }}
            file="rows-to-mend.csv"
            type="text/csv"
          >
            Rows to mend
          </TakeAlong>
        )}
      </div>
      <Listed of={rows} empty={<>No row fits. Choose other outcomes, or search for other words.</>}>
        {() => (
          <ol className="sheet divide-y divide-rule">
            {items.map((row) => (
              <RowLine key={row.line} row={row} of={of} />
            ))}
          </ol>
        )}
      </Listed>
      {rows.hasNextPage && (
        <Button className="mt-3" disabled={rows.isFetchingNextPage} onClick={() => rows.fetchNextPage()}>
          Show more of {rows.data?.pages[0]?.total}
        </Button>
      )}
    </section>
  );
}

function RowLine({ row, of }: { row: Row; of: Import }) {
  const edit = useEdit(of);
  const decide = (decision: Schema["ImportDecision"]) => edit.mutate({ rows: { [row.line]: decision } });
  const mendable = of.state === "open";
  return (
    <li className="grid gap-x-4 gap-y-1 px-4 py-2.5 sm:grid-cols-[4.5rem_7.5rem_minmax(0,1fr)_auto]">
      <span className="text-sm text-faded">Line {row.line}</span>
      <span>
        <Mark of={outcomes[row.outcome].mark}>{outcomes[row.outcome].word}</Mark>
      </span>
      <div>
        <p>
          <b className="font-semibold">{row.name || "(no name)"}</b>
          {row.person && (
            <>
              {" "}
              <Link to="/staff/$number" params={{ number: row.person.staff_number }} className="text-damson underline">
                {row.person.staff_number}
              </Link>
            </>
          )}
          <span className="text-faded"> {row.why || row.does.join(" · ")}</span>
        </p>
        {row.faults.map((f) => (
          <FaultLine
            key={`${f.column} ${f.message}`}
            fault={f}
            title={titleOf(of, f.column)}
            mend={
              mendable && f.column
                ? (value) => decide({ ...row.said, cells: { ...row.said.cells, [f.column!]: value } })
                : undefined
            }
            busy={edit.isPending}
          />
        ))}
        {row.maybe.map((m) => (
          <p key={m.staff_number} className="mt-1 flex flex-wrap items-center gap-2">
            <span>
              May be{" "}
              <Link to="/staff/$number" params={{ number: m.staff_number }} className="text-damson underline">
                {m.name} {m.staff_number}
              </Link>
              , {m.status}, {m.home_site}: {m.why}.
            </span>
            {mendable && (
              <Button disabled={edit.isPending} onClick={() => decide({ ...row.said, is: m.staff_number })}>
                It is {m.status === "left" ? "and comes back" : "this person"}
              </Button>
            )}
          </p>
        ))}
        {row.outcome === "asked" && mendable && (
          <Button className="mt-1" disabled={edit.isPending} onClick={() => decide({ ...row.said, is: "new" })}>
            It is somebody new
          </Button>
        )}
        <Wrong error={edit.error} />
      </div>
      {mendable && row.outcome !== "in" && (
        <Button
          look="quiet"
          disabled={edit.isPending}
          onClick={() => decide({ ...row.said, out: row.outcome !== "out" })}
        >
          {row.outcome === "out" ? "Take in again" : "Leave out"}
        </Button>
      )}
    </li>
  );
}

const titleOf = (of: Import, column: string | undefined) =>
  of.columns.find((c) => c.column === column)?.header ?? column ?? "";

function FaultLine({
  fault,
  title,
  mend,
  busy,
}: {
  fault: Schema["ImportFault"];
  title: string;
  mend: ((value: string) => void) | undefined;
  busy: boolean;
}) {
  const [value, setValue] = useState(fault.value ?? "");
  return (
    <div className="mt-1">
      <p className="text-shut">
        {title && <b className="font-semibold">{title}: </b>}
        {fault.message}
      </p>
      {mend && (
        <form
          className="mt-1 flex flex-wrap gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            mend(value);
          }}
        >
          <input
            aria-label={`${title} is`}
            value={value}
            maxLength={500}
            onChange={(e) => setValue(e.target.value)}
            className={`${inputLook} max-w-60`}
          />
          <Button type="submit" disabled={busy}>
            Mend
          </Button>
          {fault.nearest && (
            <Button look="main" disabled={busy} onClick={() => mend(fault.nearest!)}>
              Use {fault.nearest}
            </Button>
          )}
        </form>
      )}
    </div>
  );
}
