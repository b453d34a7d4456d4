import { useMutation } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { api, queries, type Schema, take } from "@/api/api";
import { touched } from "@/api/read";
import { EnrolTabs } from "@/areas/enrol/Enrol";
import { Button } from "@/parts/Button";
import { Effects } from "@/parts/effects";
import { TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { Print } from "@/parts/Print";
import { PINTable } from "@/parts/secrets";
import { Wrong } from "@/parts/Wrong";
import { howMany, people } from "@/parts/words";
import { ColumnsPart, OtherwisePart } from "./ColumnsPart";
import { StateMark } from "./Imports";
import { type Import, took, useImport } from "./queries";
import { RowsPart } from "./RowsPart";

/** One file of people: how it is read, what would become of each row, and bringing it in. */
export function ImportPage() {
  const { id } = useParams({ from: "/imports/$id" });
  const found = useImport(Number(id));
  const was = useRef<string>(undefined);
  const state = found.data?.state;
  useEffect(() => {
    // What was brought in is on every other page too
    if (was.current === "running" && state && state !== "running") queries.invalidateQueries();
    was.current = state;
  }, [state]);
  if (!found.data)
    return (
      <Page title="Import">
        <EnrolTabs />
        <Listed of={found}>{() => null}</Listed>
      </Page>
    );
  const i = found.data;
  return (
    <Page
      title={i.name || `Import ${i.id}`}
      lead={
        <span className="inline-flex items-center gap-3">
          <StateMark of={i} /> {i.state !== "running" && `${i.rows.toLocaleString("en-IE")} rows`}
        </span>
      }
      acts={<Discard of={i} />}
    >
      <EnrolTabs />
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-8 lg:grid-cols-[minmax(0,1fr)_23rem]">
        <div className="min-w-0 space-y-4">
          {i.notes.map((note) => (
            <p key={note} className="text-faded">
              {note}
            </p>
          ))}
          {i.faults.map((f) => (
            <p key={f.message} className="rounded-sm bg-soon-wash px-3 py-2 text-soon">
              {f.message}
            </p>
          ))}
          {i.state === "open" && (
            <>
              <ColumnsPart of={i} />
              <OtherwisePart key={JSON.stringify(i.otherwise)} of={i} />
            </>
          )}
          {i.state !== "running" && <RowsPart of={i} />}
        </div>
        <aside className="space-y-5 lg:sticky lg:top-20">
          {i.has_pins && <NewPINs of={i} />}
          {i.state === "running" ? <Running of={i} /> : <BringIn of={i} />}
        </aside>
      </div>
    </Page>
  );
}

function Discard({ of }: { of: Import }) {
  const navigate = useNavigate();
  const discard = useMutation({
    mutationFn: () => take(api.DELETE("/imports/{id}", { params: { path: { id: of.id } } })),
    onSuccess: async () => {
      await navigate({ to: "/imports" });
      return touched("/imports");
    },
  });
  return (
    <>
      <Button onClick={() => discard.mutate()} disabled={of.state === "running" || discard.isPending}>
        Remove this file
      </Button>
      <Wrong error={discard.error} />
    </>
  );
}

function Running({ of }: { of: Import }) {
  const share = of.total ? of.progress / of.total : 0;
  return (
    <div className="sheet p-5" role="status">
      <h2 className="mb-1">Being brought in</h2>
      <p>{of.total ? `${of.progress} of ${of.total} PINs are made.` : "It begins."}</p>
      <div className="my-3 h-2 overflow-hidden rounded-sm bg-inset" aria-hidden>
        <div className="h-full bg-damson" style={{ width: `${Math.round(share * 100)}%` }} />
      </div>
      <p className="text-sm text-faded">It goes on by itself: you may leave this page.</p>
    </div>
  );
}

/** Who would gain and lose, and the button that does it. */
function BringIn({ of }: { of: Import }) {
  const ready = (of.counts.new ?? 0) + (of.counts.update ?? 0) + (of.counts.back ?? 0);
  const wrong = (of.counts.faulty ?? 0) + (of.counts.asked ?? 0);
  const [reason, setReason] = useState("");
  const run = useMutation({
    mutationFn: () =>
      take(
        api.POST("/imports/{id}/run", {
          params: { path: { id: of.id } },
          body: { leave_out: wrong > 0, ...(reason && { reason }) },
        }),
      ),
    onSuccess: took,
  });
  const needs = of.effect?.needs_reason ?? false;
  return (
    <div className="sheet p-5">
      <Done of={of} />
      <h2 className="mb-1">{ready ? "Bringing them in" : of.state === "done" ? "Done" : "Nothing to bring in"}</h2>
      {of.problem && <p className="mb-2 rounded-sm bg-shut-wash px-3 py-2 text-shut">{of.problem}</p>}
      {ready > 0 && of.effect && <Effects effect={of.effect} />}
      {wrong > 0 && (
        <p className="mt-2 text-soon">
          {howMany(wrong, "row is", "rows are")} left out as {wrong === 1 ? "it stands" : "they stand"}. Mend{" "}
          {wrong === 1 ? "it" : "them"} now or later.
        </p>
      )}
      {ready > 0 && (
        <form
          className="mt-4 space-y-3"
          onSubmit={(e) => {
            e.preventDefault();
            run.mutate();
          }}
        >
          <TextField
            label="Why"
            required={needs}
            optional={!needs}
            maxLength={500}
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
          <Wrong error={run.error} />
          <Button type="submit" look="main" className="w-full" disabled={run.isPending}>
            Bring in {people(ready)}
          </Button>
        </form>
      )}
    </div>
  );
}

/** What was brought in, and how to take it back. */
function Done({ of }: { of: Import }) {
  if (of.changes.length === 0) return null;
  return (
    <div className="mb-4 rounded-sm bg-open-wash px-3 py-2">
      {of.changes.map((change) => (
        <p key={change}>
          Brought in as change {change}.{" "}
          <Link to="/audit" className="text-damson underline">
            See it, or undo it
          </Link>
        </p>
      ))}
    </div>
  );
}

/** The new PINs, to be handed out: on slips, or on the screen. */
function NewPINs({ of }: { of: Import }) {
  const [shown, setShown] = useState<Schema["NewPIN"][]>();
  const path = { params: { path: { id: of.id } } };
  const show = useMutation({
    mutationFn: () => take(api.POST("/imports/{id}/pins", { ...path, body: {} })),
    onSuccess: (page) => setShown(page.items),
  });
  const forget = useMutation({
    mutationFn: () => take(api.DELETE("/imports/{id}/pins", path)),
    onSuccess: () => touched("/imports"),
  });
  return (
    <div className="rounded-sm border-2 border-dashed border-brass bg-soon-wash p-5">
      <h2 className="mb-1">New PINs</h2>
      <p className="mb-3 text-sm">
        They are kept, sealed, for a day, and for an hour once you have seen them. Then they are kept nowhere.
      </p>
      <div className="flex flex-wrap gap-2">
        <Print look="main" sheet={{ from: `/imports/${of.id}/slips`, file: "pin-slips.pdf", method: "POST" }}>
          Print the slips
        </Print>
        <Button disabled={show.isPending} onClick={() => show.mutate()}>
          Show
        </Button>
        <Button disabled={forget.isPending} onClick={() => forget.mutate()}>
          All handed out
        </Button>
      </div>
      <div className="mt-2">
        <Wrong error={show.error ?? forget.error} />
      </div>
      {shown && (
        <div className="mt-3">
          <PINTable pins={shown} />
        </div>
      )}
    </div>
  );
}
