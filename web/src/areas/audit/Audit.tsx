import { keepPreviousData, useInfiniteQuery, useMutation } from "@tanstack/react-query";
import { ShieldCheck, Undo2 } from "lucide-react";
import { Fragment, useDeferredValue, useState } from "react";
import { api, type Schema, take } from "@/api/api";
import { paged } from "@/api/read";
import { Button } from "@/parts/Button";
import { UndoDialog } from "@/parts/change";
import { Choice, SearchBox } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { counted, moment } from "@/parts/words";
import { useFilters } from "@/search";

type Entry = Schema["AuditEntry"];

/** Who changed what, when and why. Nothing here can be edited. */
export function Audit() {
  const [{ q = "", action }, put] = useFilters("/audit");
  const search = useDeferredValue(q.trim());
  const pages = useInfiniteQuery({
    ...paged("/audit", {
      query: { limit: 50, ...(search && { q: search }), ...(action && { action: action as Entry["action"] }) },
    }),
    placeholderData: keepPreviousData,
  });
  const verify = useMutation({ mutationFn: () => take(api.GET("/audit/verify")) });
  const entries = pages.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <Page
      title="Audit"
      lead={pages.data && `${counted(pages.data.pages[0])} entries, chained so that none can be altered unseen`}
      acts={
        <>
          <Button onClick={() => verify.mutate()} disabled={verify.isPending}>
            <ShieldCheck size={16} aria-hidden /> Verify the chain
          </Button>
          <TakeAlong from="/audit" query={{ q: search, ...(action && { action }) }} file="audit.csv" />
        </>
      }
    >
      <div aria-live="polite">
        {verify.data && (
          <p
            className={`mb-4 rounded-sm px-4 py-2 font-medium ${verify.data.whole ? "bg-open-wash text-open" : "bg-shut-wash text-shut"}`}
          >
            {verify.data.detail}
          </p>
        )}
      </div>
      <div className="mb-3 grid gap-2 sm:grid-cols-[2fr_minmax(0,1fr)]">
        <SearchBox label="Search the audit log" hint="What, who or why" value={q} onChange={(q) => put({ q })} />
        <Choice label="Kind of entry" value={action} onChange={(action) => put({ action })}>
          <option value="">Changes and sign-ins</option>
          <option value="change">Changes</option>
          <option value="sign-in">Sign-ins</option>
          <option value="sign-in-refused">Refused sign-ins</option>
        </Choice>
      </div>
      <Listed of={pages} empty={<>No entry fits. Every change and sign-in is written here as it happens.</>}>
        {() => (
          <ol className="sheet">
            {entries.map((e) => (
              <li key={e.id} className="border-b border-rule last:border-b-0">
                <details>
                  <summary className="grid grid-cols-[10.5rem_minmax(0,1fr)] gap-x-4 px-4 py-2 hover:bg-inset md:grid-cols-[10.5rem_minmax(0,1fr)_15rem]">
                    <span className="text-faded">{moment(e.at)}</span>
                    <span>
                      {e.summary}
                      {e.reason && <span className="block text-faded">“{e.reason}”</span>}
                    </span>
                    <span className="col-start-2 md:col-start-3">
                      {e.actor}
                      <span className="block text-sm text-faded">{e.origin}</span>
                    </span>
                  </summary>
                  <Operations entry={e} />
                </details>
              </li>
            ))}
          </ol>
        )}
      </Listed>
      {pages.hasNextPage && (
        <Button className="mt-4" onClick={() => pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
          Show older entries
        </Button>
      )}
    </Page>
  );
}

function Operations({ entry }: { entry: Entry }) {
  const shown = entry.operations;
  const [undoing, setUndoing] = useState(false);
  return (
    <div className="border-t border-rule bg-inset px-4 py-3 text-dense">
      <p className="text-sm text-faded">
        Entry {entry.id} · {entry.hash.slice(0, 16)}…
      </p>
      {shown.map((o) => (
        <div key={`${o.op} ${o.record}`} className="mt-2">
          <p className="font-semibold">
            {o.op} <span className="font-normal text-faded">{o.on}</span>
            {o.reason && o.reason !== entry.reason && <span className="font-normal text-faded"> “{o.reason}”</span>}
          </p>
          <dl className="grid grid-cols-[9rem_minmax(0,1fr)] gap-x-3 pl-3">
            {[...new Set([...Object.keys(o.before ?? {}), ...Object.keys(o.after ?? {})])]
              .filter((k) => k !== "id")
              .map((k) => (
                <Fragment key={k}>
                  <dt className="text-faded">{k.replaceAll("_", " ")}</dt>
                  <dd className="break-all">
                    {o.before && k in o.before && <s className="mr-2 text-shut">{value(o.before[k])}</s>}
                    {o.after && k in o.after && <span className="text-open">{value(o.after[k])}</span>}
                  </dd>
                </Fragment>
              ))}
          </dl>
        </div>
      ))}
      {entry.steps > shown.length && <p className="mt-2 text-faded">and {entry.steps - shown.length} more steps</p>}
      {entry.action === "change" && (
        <Button className="mt-3" onClick={() => setUndoing(true)}>
          <Undo2 size={16} aria-hidden /> Undo this change
        </Button>
      )}
      {undoing && <UndoDialog id={entry.id} close={() => setUndoing(false)} />}
    </div>
  );
}

const value = (v: unknown) => (typeof v === "object" ? JSON.stringify(v) : String(v));
