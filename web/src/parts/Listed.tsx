import type { ReactNode } from "react";
import { isUnanswered, queries, Refusal } from "@/api/api";
import { useLine } from "@/api/line";
import { Button } from "./Button";
import { Empty, Loading, Page } from "./Page";
import { Wrong } from "./Wrong";
import { clock } from "./words";

/** What a list or a record is read by, as far as this part asks. */
type Read<T> = {
  data: T | undefined;
  error: unknown;
  dataUpdatedAt: number;
  isFetchNextPageError?: boolean;
  fetchNextPage?: () => unknown;
};

/** Asks again for whatever on the page could not be read. */
const readFailed = () => void queries.refetchQueries({ type: "active", predicate: (q) => q.state.status === "error" });

/** Whether a list holds nothing. */
function isEmpty(data: unknown): boolean {
  const of = data as { pages?: { items?: unknown[] }[]; items?: unknown[] };
  if (Array.isArray(data)) return data.length === 0;
  return of.pages ? of.pages.every((page) => !page.items?.length) : of.items?.length === 0;
}

/**
 * Whatever is read, in each of its states: being read, not answered, refused, empty, there, there in part, and there as
 * of some time ago because the service does not answer now. Nothing is called empty that was not read.
 */
export function Listed<T>({
  of,
  empty,
  none = isEmpty,
  children,
}: {
  of: Read<T>;
  empty?: ReactNode;
  none?: (data: T) => boolean;
  children: (data: T) => ReactNode;
}) {
  const { silent } = useLine();
  const { data, error } = of;
  if (data === undefined) {
    if (!error) return <Loading />;
    return (
      <div className="space-y-3">
        <Wrong error={error} />
        {isUnanswered(error) && <p role="status">It is read as soon as the service answers.</p>}
        <Button onClick={readFailed}>Try again</Button>
      </div>
    );
  }
  return (
    <>
      {error && !of.isFetchNextPageError && !isUnanswered(error) ? <Wrong error={error} /> : null}
      {silent && <p className="mb-2 text-sm text-soon">As of {clock(of.dataUpdatedAt)}.</p>}
      {empty !== undefined && none(data) ? <Empty>{empty}</Empty> : children(data)}
      {of.isFetchNextPageError && (
        <div role="alert" className="flex flex-wrap items-center gap-3 py-3">
          <span>The list goes on, and the rest could not be read.</span>
          <Button onClick={() => of.fetchNextPage?.()}>Read the rest</Button>
        </div>
      )}
    </>
  );
}

/** Stands in the place of the page of a record that is not there: it is being read, is none, or was not answered. */
export function Unread<T>({ of }: { of: Read<T> }) {
  const missing = of.error instanceof Refusal && of.error.problem.status === 404;
  return (
    <Page title={!of.error ? "Reading" : missing ? "Not found" : "Not read"}>
      {missing ? <Wrong error={of.error} /> : <Listed of={of}>{() => null}</Listed>}
    </Page>
  );
}
