import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { X } from "lucide-react";
import { useState } from "react";
import { api, everyPage, queries, Refusal, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { useApplied } from "@/parts/change";
import { DateField } from "@/parts/DateField";
import { closed, took } from "@/parts/drafts";
import { Changes, Effects } from "@/parts/effects";
import { TextField } from "@/parts/fields";
import { Unread } from "@/parts/Listed";
import { Empty, Page, Section } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";
import { howMany, moment } from "@/parts/words";
import { stateLook, stateWord } from "./Drafts";
import { GiveDialog } from "./GiveDialog";

type Draft = Schema["Draft"];

/** One draft, line by line: what it writes, where somebody else was meanwhile, who gains and loses. */
export function DraftPage() {
  const { id } = useParams({ from: "/drafts/$id" });
  const navigate = useNavigate();
  const notice = useApplied();
  const [reason, setReason] = useState<string>();
  const [asking, setAsking] = useState<"plan" | "give" | "discard">();
  const path = { params: { path: { id } } };
  const draft = useQuery({
    ...read("/drafts/{id}", path.params),
    retry: false,
    staleTime: 0,
  });
  const act = useMutation({ mutationFn: async (run: () => Promise<Draft>) => took(await run()) });
  const apply = useMutation({
    mutationFn: async () => {
      const result = await take(
        api.POST("/drafts/{id}/apply", { ...path, body: { reason: reason ?? draft.data?.reason ?? "" } }),
      );
      closed();
      await queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "/drafts/{id}" });
      return result;
    },
    onSuccess: (result) => {
      notice(result);
      // Somebody who has gone on meanwhile stays where they are
      if (location.pathname.startsWith("/drafts/")) navigate({ to: "/drafts" });
    },
  });
  const d = draft.data;
  if (!d) {
    const none = draft.error instanceof Refusal && draft.error.problem.status === 404;
    return none ? <NoDraft /> : <Unread of={draft} />;
  }
  const editable = isEditable(d);
  const asks = d.effect?.needs_reason;
  return (
    <Page
      title={d.title || (d.state === "open" ? "Your draft" : `Draft ${d.id}`)}
      lead={
        <>
          <span className={`mr-2 rounded-sm px-1.5 py-px text-sm font-semibold ${stateLook[d.state]}`}>
            {stateWord[d.state]}
          </span>
          {howMany(d.count, "edit", "edits")}
          {d.planned_for && `, for ${moment(d.planned_for)}`}
          {d.applied_as ? `, as change ${d.applied_as}` : ""}
          {!d.own && ` by ${d.owner.name}`}
        </>
      }
      acts={<DraftActs draft={d} run={act.mutate} ask={setAsking} />}
    >
      <Notes draft={d} accept={() => act.mutate(() => take(api.POST("/drafts/{id}/accept", path)))} />
      <Wrong error={act.error} />
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-10 gap-y-8 lg:grid-cols-[minmax(0,1fr)_24rem]">
        <Lines
          draft={d}
          drop={
            editable
              ? (edit) => act.mutate(() => take(api.POST("/drafts/{id}/drop", { ...path, body: { edits: [edit] } })))
              : undefined
          }
        />
        <aside className="space-y-6">
          {d.effect && d.state !== "applied" && d.state !== "discarded" && (
            <Section title="Who gains, who loses">
              <Effects
                effect={d.effect}
                open
                people={(line) =>
                  everyPage((after) =>
                    take(
                      api.GET("/drafts/{id}/people", {
                        params: { path: { id }, query: { line, limit: 500, ...(after && { after }) } },
                      }),
                    ),
                  )
                }
              />
            </Section>
          )}
          {editable && d.count > 0 && (
            <form
              className="space-y-3"
              onSubmit={(e) => {
                e.preventDefault();
                apply.mutate();
              }}
            >
              <TextField
                label="Why"
                required={asks}
                optional={!asks}
                maxLength={500}
                value={reason ?? d.reason ?? ""}
                error={apply.error instanceof Refusal ? apply.error.field("reason") : undefined}
                onChange={(e) => setReason(e.target.value)}
                hint="Stands in the audit log, and on each exception that has no reason of its own."
              />
              <Wrong error={apply.error} />
              <Button type="submit" look="main" className="w-full" disabled={apply.isPending || !!d.clashing}>
                Apply as one change
              </Button>
            </form>
          )}
        </aside>
      </div>
      {asking === "plan" && (
        <PlanDialog draft={d} reason={reason ?? d.reason ?? ""} close={() => setAsking(undefined)} />
      )}
      {asking === "give" && <GiveDialog id={String(d.id)} close={() => setAsking(undefined)} />}
      {asking === "discard" && (
        <DiscardDialog
          close={() => setAsking(undefined)}
          discard={() =>
            act.mutate(async () => {
              const gone = await take(api.POST("/drafts/{id}/discard", path));
              closed();
              navigate({ to: "/drafts" });
              return gone;
            })
          }
        />
      )}
    </Page>
  );
}

const isEditable = (d: Draft) => d.own && (d.state === "open" || d.state === "failed");

function NoDraft() {
  return (
    <Page title="Draft">
      <Empty>
        You have no open draft. Edit a{" "}
        <Link to="/templates" className="text-damson underline">
          template
        </Link>{" "}
        or the{" "}
        <Link to="/grid" className="text-damson underline">
          grid
        </Link>{" "}
        to begin one.
      </Empty>
    </Page>
  );
}

/** What may be done with a draft as a whole. */
function DraftActs({
  draft: d,
  run,
  ask,
}: {
  draft: Draft;
  run: (act: () => Promise<Draft>) => void;
  ask: (what: "plan" | "give" | "discard") => void;
}) {
  const path = { params: { path: { id: String(d.id) } } };
  const editable = isEditable(d);
  return d.free ? (
    <Button look="main" onClick={() => run(() => take(api.POST("/drafts/{id}/take", path)))}>
      Take it over
    </Button>
  ) : (
    d.own && (
      <>
        {editable && <Button onClick={() => ask("plan")}>Plan for a moment</Button>}
        {(editable || d.state === "planned") && <Button onClick={() => ask("give")}>Give to a colleague</Button>}
        {(editable || d.state === "planned" || d.state === "given") && (
          <Button look="grave" onClick={() => ask("discard")}>
            Discard
          </Button>
        )}
        {["planned", "failed", "given", "discarded"].includes(d.state) && (
          <Button onClick={() => run(() => take(api.POST("/drafts/{id}/reopen", path)))}>
            {d.state === "planned" ? "Take the plan back" : d.state === "given" ? "Accept it" : "Go on with it"}
          </Button>
        )}
      </>
    )
  );
}

/** What somebody has to know about a draft before its lines. */
function Notes({ draft: d, accept }: { draft: Draft; accept: () => void }) {
  return (
    <>
      {d.free && (
        <p className="mb-4 rounded-sm border border-rule bg-inset px-4 py-2.5">
          {d.owner.name} can no longer make changes. Take it over to keep the plan: it is then made with your authority.
        </p>
      )}
      {d.problem && (
        <p className="mb-4 rounded-sm border border-shut bg-shut-wash px-4 py-2.5 font-medium text-shut">
          It is not applied: {d.problem}
        </p>
      )}
      {d.clashing ? (
        <div className="mb-4 flex flex-wrap items-center justify-between gap-3 rounded-sm border border-shut bg-shut-wash px-4 py-2.5">
          <span>
            <b className="text-shut">Somebody else changed the same meanwhile</b>, in{" "}
            {howMany(d.clashing, "edit", "edits")} below. Take those edits out, or let them count on top.
          </span>
          <Button onClick={accept}>Let mine count on top</Button>
        </div>
      ) : null}
    </>
  );
}

function Lines({ draft: d, drop }: { draft: Draft; drop: ((edit: number) => void) | undefined }) {
  return (
    <Section title="Line by line">
      {d.edits?.length === 0 && <p className="text-faded">Nothing is left in it.</p>}
      <ol>
        {d.edits?.map((e) => (
          <li key={e.id} className="flex items-start justify-between gap-3 border-b border-rule py-2 last:border-b-0">
            <span className="min-w-0">
              {e.words}
              {e.reason && <span className="text-faded"> “{e.reason}”</span>}
              <Changes changes={e.changes} />
              {e.clashes.map((c) => (
                <span key={c.field} className="block font-medium text-shut">
                  {c.field} was {c.was || "not set"} when you edited it, and is {c.now || "not set"} now.
                </span>
              ))}
              {e.problem && <span className="block font-medium text-shut">Cannot be made: {e.problem}</span>}
            </span>
            {drop && (
              <button
                type="button"
                aria-label={`Take out: ${e.words}`}
                className="shrink-0 rounded-sm border border-rule p-1 text-damson hover:bg-damson-wash"
                onClick={() => drop(e.id)}
              >
                <X size={15} aria-hidden />
              </button>
            )}
          </li>
        ))}
      </ol>
      {d.count > (d.edits?.length ?? 0) && (
        <p className="pt-2 text-faded">and {d.count - (d.edits?.length ?? 0)} more edits</p>
      )}
    </Section>
  );
}

function DiscardDialog({ discard, close }: { discard: () => void; close: () => void }) {
  return (
    <Ask
      open
      onOpenChange={close}
      title="Discard the draft"
      about="Nothing in it is written. You can take it up again from your discarded drafts."
    >
      <div className="flex gap-2">
        <Button
          look="grave"
          autoFocus
          onClick={() => {
            close();
            discard();
          }}
        >
          Discard it
        </Button>
        <Button onClick={close}>Keep it</Button>
      </div>
    </Ask>
  );
}

function PlanDialog({ draft, reason: first, close }: { draft: Draft; reason: string; close: () => void }) {
  const [at, setAt] = useState("");
  const [title, setTitle] = useState(draft.title ?? "");
  const [reason, setReason] = useState(first);
  const navigate = useNavigate();
  const run = useMutation({
    mutationFn: async () => {
      const planned = await take(
        api.POST("/drafts/{id}/plan", {
          params: { path: { id: String(draft.id) } },
          body: { at: new Date(at).toISOString(), title, reason },
        }),
      );
      closed();
      return took(planned);
    },
    onSuccess: () => {
      close();
      navigate({ to: "/drafts/$id", params: { id: String(draft.id) } });
    },
  });
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  return (
    <Ask
      open
      onOpenChange={close}
      title="Plan for a moment"
      about="It is checked now and again when the moment comes. If it cannot be applied then, Today tells you why."
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <DateField
          label="When"
          required
          type="datetime-local"
          value={at}
          onChange={(e) => setAt(e.target.value)}
          error={wrong?.field("at")}
        />
        <TextField
          label="What to call it"
          optional
          maxLength={120}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
          placeholder="First day of the season"
        />
        <TextField
          label="Why"
          required={draft.effect?.needs_reason}
          optional={!draft.effect?.needs_reason}
          maxLength={500}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          error={wrong?.field("reason")}
        />
        {!wrong?.problem.errors?.length && <Wrong error={run.error} />}
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending}>
            Plan it
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
