import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { X } from "lucide-react";
import { useState } from "react";
import { api, everyPage, queries, Refusal, type Schema, take } from "@/api/api";
import { useApplied } from "@/parts/change";
import { DateField } from "@/parts/DateField";
import { took } from "@/parts/drafts";
import { Changes, Effects } from "@/parts/effects";
import { Ask, Button, Empty, Loading, moment, Page, Section, TextField, Wrong } from "@/parts/parts";
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
    queryKey: ["draft", id],
    queryFn: () => take(api.GET("/drafts/{id}", path)),
    retry: false,
    staleTime: 0,
  });
  const act = useMutation({ mutationFn: async (run: () => Promise<Draft>) => took(await run()) });
  const apply = useMutation({
    mutationFn: async () => {
      const result = await take(
        api.POST("/drafts/{id}/apply", { ...path, body: { reason: reason ?? draft.data?.reason ?? "" } }),
      );
      queries.setQueryData(["draft", "open"], null);
      await queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "draft" });
      return result;
    },
    onSuccess: (result) => {
      notice({ id: result.audit_id ?? 0, summary: result.effect.summary });
      navigate({ to: "/drafts" });
    },
  });
  const d = draft.data;
  if (draft.isPending) return <Loading />;
  if (!d) {
    return (
      <Page title="Draft">
        {draft.error instanceof Refusal && draft.error.problem.status === 404 ? (
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
        ) : (
          <Wrong error={draft.error} />
        )}
      </Page>
    );
  }
  const editable = d.own && (d.state === "open" || d.state === "failed");
  const asks = d.effect?.needs_reason;
  return (
    <Page
      title={d.title || (d.state === "open" ? "Your draft" : `Draft ${d.id}`)}
      lead={
        <>
          <span className={`mr-2 rounded-sm px-1.5 py-px text-sm font-[600] ${stateLook[d.state]}`}>
            {stateWord[d.state]}
          </span>
          {d.count === 1 ? "1 edit" : `${d.count} edits`}
          {d.planned_for && `, for ${moment(d.planned_for)}`}
          {d.applied_as ? `, as change ${d.applied_as}` : ""}
          {!d.own && ` by ${d.owner.name}`}
        </>
      }
      acts={
        d.free ? (
          <Button look="main" onClick={() => act.mutate(() => take(api.POST("/drafts/{id}/take", path)))}>
            Take it over
          </Button>
        ) : (
          d.own && (
            <>
              {editable && <Button onClick={() => setAsking("plan")}>Plan for a moment</Button>}
              {(editable || d.state === "planned") && (
                <Button onClick={() => setAsking("give")}>Give to a colleague</Button>
              )}
              {(editable || d.state === "planned") && (
                <Button look="grave" onClick={() => setAsking("discard")}>
                  Discard
                </Button>
              )}
              {(d.state === "planned" || d.state === "failed" || d.state === "discarded") && (
                <Button onClick={() => act.mutate(() => take(api.POST("/drafts/{id}/reopen", path)))}>
                  {d.state === "planned" ? "Take the plan back" : "Go on with it"}
                </Button>
              )}
            </>
          )
        )
      }
    >
      {d.free && (
        <p className="mb-4 rounded-sm border border-rule bg-inset px-4 py-2.5">
          {d.owner.name} can no longer make changes. Take it over to keep the plan: it is then made with your authority.
        </p>
      )}
      {d.problem && (
        <p className="mb-4 rounded-sm border border-shut bg-shut-wash px-4 py-2.5 font-[550] text-shut">
          It is not applied: {d.problem}
        </p>
      )}
      {d.clashing ? (
        <div className="mb-4 flex flex-wrap items-center justify-between gap-3 rounded-sm border border-shut bg-shut-wash px-4 py-2.5">
          <span>
            <b className="text-shut">Somebody else changed the same meanwhile</b>, in{" "}
            {d.clashing === 1 ? "one edit" : `${d.clashing} edits`} below. Take those edits out, or let them count on
            top.
          </span>
          <Button onClick={() => act.mutate(() => take(api.POST("/drafts/{id}/accept", path)))}>
            Let mine count on top
          </Button>
        </div>
      ) : null}
      <Wrong error={act.error} />
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-10 gap-y-8 lg:grid-cols-[1fr_24rem]">
        <Section title="Line by line">
          {d.edits?.length === 0 && <p className="text-faded">Nothing is left in it.</p>}
          <ol>
            {d.edits?.map((e) => (
              <li
                key={e.id}
                className="flex items-start justify-between gap-3 border-b border-rule py-2 last:border-b-0"
              >
                <span className="min-w-0">
                  {e.words}
                  {e.reason && <span className="text-faded"> “{e.reason}”</span>}
                  <Changes changes={e.changes} />
                  {e.clashes.map((c) => (
                    <span key={c.field} className="block font-[550] text-shut">
                      {c.field} was {c.was || "not set"} when you edited it, and is {c.now || "not set"} now.
                    </span>
                  ))}
                  {e.problem && <span className="block font-[550] text-shut">Cannot be made: {e.problem}</span>}
                </span>
                {editable && (
                  <button
                    type="button"
                    aria-label={`Take out: ${e.words}`}
                    className="shrink-0 rounded-sm border border-rule p-1 text-damson hover:bg-damson-wash"
                    onClick={() =>
                      act.mutate(() => take(api.POST("/drafts/{id}/drop", { ...path, body: { edits: [e.id] } })))
                    }
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
        <Ask
          open
          onOpenChange={() => setAsking(undefined)}
          title="Discard the draft"
          about="Nothing of it is written. It can be taken up again from your discarded drafts."
        >
          <div className="flex gap-2">
            <Button
              look="grave"
              autoFocus
              onClick={() => {
                setAsking(undefined);
                act.mutate(async () => {
                  const gone = await take(api.POST("/drafts/{id}/discard", path));
                  queries.setQueryData(["draft", "open"], null);
                  navigate({ to: "/drafts" });
                  return gone;
                });
              }}
            >
              Discard it
            </Button>
            <Button onClick={() => setAsking(undefined)}>Keep it</Button>
          </div>
        </Ask>
      )}
    </Page>
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
      queries.setQueryData(["draft", "open"], null);
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
