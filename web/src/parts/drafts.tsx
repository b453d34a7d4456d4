import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useLocation } from "@tanstack/react-router";
import { NotebookPen } from "lucide-react";
import { api, type Operation, queries, type Schema, take } from "@/api/api";
import { touched } from "@/api/read";
import { Button, buttonLook } from "./Button";
import { howMany } from "./words";

type Draft = Schema["Draft"];

const openDraft = ["/drafts, the open one"];

/** The open draft of whoever is signed in; undefined where there is none. */
export function useDraft() {
  return useQuery({
    queryKey: openDraft,
    queryFn: async () => {
      const drafts = await take(api.GET("/drafts", { params: { query: { state: ["open"], limit: 1 } } }));
      const newest = drafts.items[0];
      return newest ? take(api.GET("/drafts/{id}", { params: { path: { id: String(newest.id) } } })) : null;
    },
    staleTime: 10_000,
  });
}

/** Says that nobody's draft is open any more. */
export const closed = () => queries.setQueryData(openDraft, null);

/** Takes in a draft as the service answered it. */
export async function took(draft: Draft): Promise<Draft> {
  if (draft.state === "open") queries.setQueryData(openDraft, draft);
  // what shows things as a draft has them
  await touched("/drafts", "/templates", "/grid", "/comparison", "/permissions/{id}/templates");
  return draft;
}

/** Puts edits into the open draft, which is begun where there is none. */
export async function collect(operations: Operation[], reason = ""): Promise<Draft> {
  if (reason) operations = operations.map((o) => ({ ...o, reason }));
  return took(
    await take(
      api.POST("/drafts/{id}/edits", {
        params: { path: { id: "open" } },
        body: { operations: operations as Schema["Operation"][] },
      }),
    ),
  );
}

/** The bar at the foot of every page while a draft is open. */
export function DraftBar() {
  const draft = useDraft();
  const drop = useMutation({
    mutationFn: async (edit: number) =>
      took(await take(api.POST("/drafts/{id}/drop", { params: { path: { id: "open" } }, body: { edits: [edit] } }))),
  });
  const here = useLocation().pathname;
  const d = draft.data;
  if (!d?.count || here === "/drafts/open" || here === `/drafts/${d.id}`) return null; // there it stands in full
  const last = d.edits?.at(-1);
  return (
    <section
      aria-label="Your draft"
      className="fixed inset-x-0 bottom-0 z-20 border-t-3 border-brass-light bg-soon-wash print:hidden"
    >
      <div className="mx-auto flex max-w-page flex-wrap items-center gap-x-4 gap-y-1 px-5 py-2">
        <NotebookPen size={18} className="shrink-0 text-brass" aria-hidden />
        <b className="shrink-0">{howMany(d.count, "edit in your draft", "edits in your draft")}</b>
        <span className="min-w-0 flex-1 truncate text-faded">
          {d.clashing ? <b className="text-shut">Somebody else changed the same meanwhile. </b> : null}
          {d.effect?.summary}
        </span>
        {last && (
          <Button disabled={drop.isPending} onClick={() => drop.mutate(last.id)}>
            Take the last back
          </Button>
        )}
        <Link to="/drafts/$id" params={{ id: "open" }} className={buttonLook("main")}>
          Review and apply
        </Link>
      </div>
    </section>
  );
}
