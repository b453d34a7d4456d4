import { keepPreviousData, useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Operation, type Schema, take } from "@/api/api";
import { paged, touched } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { AssignmentChoice, useAssignments } from "@/parts/AssignmentChoice";
import { isoToday } from "@/parts/AssignmentFields";
import { useAct } from "@/parts/acts";
import { Button } from "@/parts/Button";
import { Reasoned } from "@/parts/change";
import { useZones } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Page } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { SiteChoice } from "@/parts/PlaceChoice";
import { TodayTabs } from "@/parts/stuck";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { howMany, moment } from "@/parts/words";
import { useFilters } from "@/search";

type Leaver = Schema["Leaving"];

/** Who leaves or has left lately, with what is to be done. */
export function Leaving() {
  const [{ site, settled }, put] = useFilters("/leaving");
  const open = !settled;
  const query = { ...(site && { site }), ...(open && { open: true as const }) };
  const pages = useInfiniteQuery({
    ...paged("/leavers", { query: { ...query, limit: 50 } }),
    placeholderData: keepPreviousData,
  });
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const total = pages.data?.pages[0]?.total ?? 0;
  return (
    <Page
      title="Leaving"
      lead={pages.data && <span role="status">{howMany(total, "person", "people")}, by when they go</span>}
      acts={<TakeAlong from="/leavers" query={query as Record<string, string>} file="leavers.csv" />}
    >
      <TodayTabs />
      <div className="mb-4 flex flex-wrap items-end gap-3">
        <div className="w-72">
          <SiteChoice label="Home site" value={site} onChange={(site) => put({ site })} />
        </div>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={open}
            onChange={(e) => put({ settled: !e.target.checked || undefined })}
            className="size-4 accent-damson"
          />
          Only where something is to be done
        </label>
      </div>
      <Listed
        of={pages}
        empty={<>Nobody leaves. Record a leaving on somebody’s page, or for many in the staff list.</>}
      >
        {() => (
          <ul className="sheet divide-y divide-rule">
            {items.map((l) => (
              <LeaverLine key={l.staff_number} leaver={l} />
            ))}
          </ul>
        )}
      </Listed>
      {pages.hasNextPage && (
        <Button className="mt-3" disabled={pages.isFetchingNextPage} onClick={() => pages.fetchNextPage()}>
          Show more
        </Button>
      )}
    </Page>
  );
}

function LeaverLine({ leaver: l }: { leaver: Leaver }) {
  const zones = useZones();
  const may = useMay();
  const act = useAct();
  const [handing, setHanding] = useState(false);
  const left = l.status === "left";
  const ticks = may("console.leave", l.home_site.code);
  return (
    <li className="grid gap-x-6 gap-y-2 px-4 py-3 md:grid-cols-[18rem_minmax(0,1fr)_auto]">
      <div>
        <Link to="/staff/$number" params={{ number: l.staff_number }} className="font-semibold hover:underline">
          {l.name}
        </Link>{" "}
        {left && <Mark of="left" />}
        <p className="text-sm text-faded">
          {l.staff_number} · {l.home_site.name}
        </p>
        <p className="text-sm">
          {left ? "Access ended" : "Access ends"} {moment(l.gone, zones(l.home_site.code))}
          {l.who && <span className="text-faded"> · task of {l.who.name}</span>}
        </p>
      </div>
      <ul>
        {l.tasks.map((t) => (
          <TaskLine key={t.key} leaver={l} task={t} ticks={ticks} />
        ))}
      </ul>
      <div className="flex flex-col gap-2">
        {may("console.assign", l.home_site.code) && (
          <Button aria-label={`Hand over the work of ${l.name}`} onClick={() => setHanding(true)}>
            Hand over
          </Button>
        )}
        {ticks && !left && (
          <Button
            aria-label={`Call off the leaving of ${l.name}`}
            onClick={() => act("reinstate", { staff_number: l.staff_number, name: l.name })}
          >
            Call off
          </Button>
        )}
      </div>
      {handing && <HandOverDialog leaver={l} close={() => setHanding(false)} />}
    </li>
  );
}

function TaskLine({ leaver, task, ticks }: { leaver: Leaver; task: Schema["LeavingTask"]; ticks: boolean }) {
  const path = { params: { path: { id: leaver.staff_number, item: task.key } } };
  const tick = useMutation({
    mutationFn: (done: boolean) =>
      done ? take(api.PUT("/leavers/{id}/tasks/{item}", path)) : take(api.DELETE("/leavers/{id}/tasks/{item}", path)),
    onSuccess: () => touched("/leavers"),
  });
  return (
    <li>
      <label className={`flex items-start gap-2 ${task.done ? "text-faded line-through" : ""}`}>
        <input
          type="checkbox"
          checked={task.done}
          disabled={!task.hand || !ticks || tick.isPending}
          onChange={(e) => tick.mutate(e.target.checked)}
          className="mt-1 size-4 accent-damson"
        />
        <span>
          {task.what}
          {!task.hand && !task.done && <span className="text-sm text-faded"> (done once the records say so)</span>}
        </span>
      </label>
      <Wrong error={tick.error} />
    </li>
  );
}

/** Gives a successor what somebody leaves behind. */
function HandOverDialog({ leaver, close }: { leaver: Leaver; close: () => void }) {
  const [to, setTo] = useState("");
  const [from, setFrom] = useState(isoToday());
  const [what, setWhat] = useState({ exceptions: false, reports: true });
  const assignments = useAssignments(leaver.staff_number);
  const [left, setLeft] = useState<ReadonlySet<number>>();
  // None goes over until it is chosen
  const kept = left ?? new Set(assignments.open.map((a) => a.id));
  const chosen = assignments.open.filter((a) => !kept.has(a.id)).map((a) => a.id);
  const operations: Operation[] =
    to && (chosen.length || what.exceptions || what.reports)
      ? [{ op: "staff.hand_over", on: leaver.staff_number, set: { to, from, assignments: chosen, ...what } }]
      : [];
  const box = (name: keyof typeof what, label: string) => (
    <label className="flex items-center gap-2.5">
      <input
        type="checkbox"
        checked={what[name]}
        onChange={(e) => setWhat({ ...what, [name]: e.target.checked })}
        className="size-4 accent-damson"
      />
      {label}
    </label>
  );
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Hand over the work of ${leaver.name}`}
      about="The successor gets it under their own name; the history of each stays under theirs. No account is passed on."
    >
      <div className="mb-4 space-y-3">
        <PersonField label="Successor" required value={to} onChosen={setTo} />
        <DateField label="From" type="date" required value={from} onChange={(e) => setFrom(e.target.value)} />
        <div className="space-y-1">
          {box("reports", `Those whose line manager ${leaver.name} is`)}
          {box("exceptions", "Exceptions")}
        </div>
        <AssignmentChoice legend="Assignments that go over" of={assignments} left={kept} leave={setLeft} />
      </div>
      <Reasoned operations={operations} button="Hand over" close={close} />
    </Ask>
  );
}
