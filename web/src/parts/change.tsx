import { useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Undo2, X } from "lucide-react";
import { createContext, type ReactNode, useContext, useEffect, useRef, useState } from "react";
import {
  api,
  type ChangeResult,
  change,
  everyPage,
  isUnanswered,
  type Operation,
  Refusal,
  reread,
  type Schema,
  take,
} from "@/api/api";
import { preview } from "@/api/read";
import { Ask } from "./Ask";
import { Button, buttonLook } from "./Button";
import { collect } from "./drafts";
import { Effects } from "./effects";
import { TextField } from "./fields";
import { Loading } from "./Page";
import { Wrong } from "./Wrong";

type Applied = { id: number; summary: string; see?: string | undefined };
const Notice = createContext<(applied: Applied) => void>(() => {});

/** Says that a change was made, and offers to undo it and to see what it is about. */
export function useApplied() {
  const notice = useContext(Notice);
  return (result: Pick<ChangeResult, "audit_id" | "effect"> & Partial<ChangeResult>) => {
    if (!result.audit_id) return;
    const [made] = result.made ?? [];
    const [person] = result.people ?? [];
    notice({
      id: result.audit_id,
      summary: result.effect.summary,
      see:
        made?.kind === "staff" || (!made && person)
          ? `/staff/${made?.code ?? person?.staff_number}`
          : made && made.kind in pageOf && made.code
            ? `/${pageOf[made.kind]}/${encodeURIComponent(made.code)}`
            : undefined,
    });
  };
}

/** Where the console shows a record, by its kind. */
const pageOf: Record<string, string> = {
  place: "estate",
  template: "templates",
  team: "teams",
  schedule: "schedules",
  qualification: "qualifications",
  notice: "notices",
};

/** Holds the notice of the change made last, on every page, until it is put away. */
export function AppliedNotice({ children }: { children: ReactNode }) {
  const [applied, setApplied] = useState<Applied>();
  const [undoing, setUndoing] = useState(false);
  const line = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!applied) return;
    // Once its dialog is closed, unless that stays, or somebody types already
    let tries = 0;
    let soon = setTimeout(function take() {
      if (document.querySelector("[role=dialog]") && tries++ < 40) soon = setTimeout(take, 50);
      else if (!document.activeElement?.matches("input, textarea, select"))
        line.current?.focus({ preventScroll: true });
    }, 80);
    return () => clearTimeout(soon);
  }, [applied]);
  return (
    <Notice.Provider value={setApplied}>
      {children}
      <div role="status" className="fixed bottom-16 left-1/2 z-30 -translate-x-1/2 print:hidden">
        {applied && (
          <div
            ref={line}
            tabIndex={-1}
            className="flex max-w-ask-wide items-center gap-3 rounded-md border-2 border-open bg-sheet px-4 py-2 shadow-raised"
          >
            <span className="wrap-anywhere">
              <b>Done</b> as change {applied.id}. {applied.summary}
            </span>
            <Button className="shrink-0" onClick={() => setUndoing(true)}>
              <Undo2 size={16} aria-hidden /> Undo
            </Button>
            {applied.see && (
              <Link to={applied.see} className={`${buttonLook()} shrink-0`} onClick={() => setApplied(undefined)}>
                See
              </Link>
            )}
            <button
              type="button"
              aria-label="Put this notice away"
              className="p-1"
              onClick={() => setApplied(undefined)}
            >
              <X size={16} aria-hidden />
            </button>
          </div>
        )}
      </div>
      {undoing && applied && (
        <UndoDialog
          id={applied.id}
          close={(done) => {
            setUndoing(false);
            if (done) setApplied(undefined);
          }}
        />
      )}
    </Notice.Provider>
  );
}

/** Shows what undoing a change does, and does it. */
export function UndoDialog({ id, close }: { id: number; close: (done: boolean) => void }) {
  const [reason, setReason] = useState("");
  const undo = (preview: boolean) =>
    take(
      api.POST("/changes/{id}/undo", { params: { path: { id }, query: { preview } }, body: reason ? { reason } : {} }),
    );
  const preview = useQuery({
    queryKey: ["/changes/{id}/undo", id],
    queryFn: () => undo(true),
    retry: false,
    staleTime: 0,
  });
  const run = useMutation({
    mutationFn: async () => {
      const result = await undo(false);
      await reread();
      return result;
    },
    onSuccess: () => close(true),
  });
  return (
    <Ask
      open
      wide
      onOpenChange={() => close(false)}
      title={`Undo change ${id}`}
      about="A new change that reverses it; both stay in the audit log."
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        {preview.isPending && <Loading />}
        {preview.data && <Effects effect={preview.data.effect} open />}
        {preview.data && (
          <TextField label="Why" optional maxLength={500} value={reason} onChange={(e) => setReason(e.target.value)} />
        )}
        <Wrong error={run.error ?? preview.error} />
        <div className="flex gap-2">
          {preview.data && (
            <Button type="submit" look="main" autoFocus disabled={run.isPending}>
              <Undo2 size={16} aria-hidden /> Undo the change
            </Button>
          )}
          <Button onClick={() => close(false)}>{preview.error ? "Close" : "Cancel"}</Button>
        </div>
      </form>
    </Ask>
  );
}

/** Reads the people in a line of the effect of operations that are not made. */
export const peopleOf = (operations: Operation[], reason: string) => (line: string) =>
  everyPage((after) =>
    take(
      api.POST("/changes/preview/people", {
        params: { query: { limit: 500, ...(after && { after }) } },
        body: { line, operations: operations as Schema["Operation"][], reason },
      }),
    ),
  );

/** Shows who gains and who loses by operations, asks why where that is needed, and makes them, or puts them into the draft. */
export function ChangeDialog({
  title,
  about,
  operations,
  button,
  grave,
  draftable = true,
  close,
  done,
}: {
  title: string;
  about: ReactNode;
  operations: Operation[];
  button: string;
  grave?: boolean;
  draftable?: boolean;
  close: () => void;
  done?: (result: ChangeResult) => void;
}) {
  return (
    <Ask open wide onOpenChange={close} title={title} about={about}>
      <Reasoned {...{ operations, button, grave, draftable, close, done }} />
    </Ask>
  );
}

/** The foot of a form that writes: the effect, why, and the buttons. */
export function Reasoned({
  operations,
  always = false,
  button,
  grave,
  draftable = true,
  close,
  done,
}: {
  operations: Operation[];
  always?: boolean; // such operations have a reason whatever they do
  button: string;
  grave?: boolean;
  draftable?: boolean;
  close: () => void;
  done?: (result: ChangeResult) => void;
}) {
  const [reason, setReason] = useState("");
  const notice = useApplied();
  const asked = useQuery({ ...preview(operations), staleTime: 0, enabled: operations.length > 0 });
  const run = useMutation({
    mutationFn: () => change(operations, reason),
    onSuccess: (result) => {
      notice(result);
      done?.(result);
      close();
    },
  });
  const put = useMutation({ mutationFn: () => collect(operations, reason), onSuccess: close });
  const asks = always || asked.data?.effect.needs_reason;
  const wrong = run.error instanceof Refusal ? run.error.field("reason") : undefined;
  return (
    <form
      className="space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        run.mutate();
      }}
    >
      {asked.isFetching && !asked.data && <Loading />}
      {asked.data && (
        <Effects
          effect={asked.data.effect}
          open={
            asked.data.effect.gains.length + asked.data.effect.losses.length + asked.data.effect.managing.length < 8
          }
          people={peopleOf(operations, "preview")}
        />
      )}
      <TextField
        label="Why"
        required={asks}
        optional={!asks}
        maxLength={500}
        value={reason}
        error={wrong}
        onChange={(e) => setReason(e.target.value)}
        hint={
          asks
            ? "Needed for exceptions and local settings, for what is sensitive, and for whatever takes something away."
            : undefined
        }
      />
      {!wrong && <Wrong error={run.error ?? put.error ?? asked.error} />}
      <div className="flex flex-wrap gap-2">
        <Button
          type="submit"
          look={grave ? "grave" : "main"}
          // What was sent and not answered is asked for again, whatever would become of it by now
          disabled={run.isPending || (asked.isError && !isUnanswered(run.error)) || !operations.length}
        >
          {button}
        </Button>
        {draftable && (
          <Button disabled={put.isPending || !operations.length} onClick={() => put.mutate()}>
            Put into the draft
          </Button>
        )}
        <Button onClick={close}>Cancel</Button>
      </div>
    </form>
  );
}
