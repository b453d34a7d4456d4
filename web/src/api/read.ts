import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";
import type { PathsWithMethod } from "openapi-typescript-helpers";
import { api, change, everyPage, type Operation, queries, take } from "./api";
import type { paths } from "./schema";

type Gets = PathsWithMethod<paths, "get">;
type Asked<P extends Gets> = paths[P]["get"] extends { parameters: infer A }
  ? { [K in keyof Pick<A, Extract<keyof A, "path" | "query">>]: A[K] }
  : never;
type Answered<P extends Gets> = paths[P]["get"] extends {
  responses: { 200: { content: { "application/json": infer T } } };
}
  ? T
  : never;
/** Paths of lists, and what is in them. */
type Lists = { [P in Gets]: Answered<P> extends { items: unknown[]; next?: string } ? P : never }[Gets];

/*
 * What the console reads, all of it. What a query is kept under is what is asked for: the path and the parameters, so
 * that two queries share an answer where they ask the same, and never otherwise; and what a write touches is read again
 * by the paths that begin alike.
 */

const ask = <P extends Gets>(path: P, asked: unknown, signal: AbortSignal): Promise<Answered<P>> =>
  take((api.GET as (path: P, init: object) => Promise<never>)(path, { params: asked, signal }));

/** A question to the service. */
export const read = <P extends Gets>(path: P, asked?: Asked<P>) =>
  queryOptions({ queryKey: [path, asked ?? {}] as const, queryFn: ({ signal }) => ask(path, asked ?? {}, signal) });

const after = (asked: object | undefined, next: string) => ({
  ...asked,
  query: { ...(asked as { query?: object } | undefined)?.query, ...(next && { after: next }) },
});

/** A list that is read page by page, as far as somebody scrolls. */
export const paged = <P extends Lists>(path: P, asked?: Asked<P>) =>
  infiniteQueryOptions({
    queryKey: [path, asked ?? {}, "pages"] as const,
    queryFn: ({ pageParam, signal }) => ask(path, after(asked, pageParam), signal),
    initialPageParam: "",
    getNextPageParam: (last: Answered<P>) => (last as { next?: string }).next || undefined,
    placeholderData: keepPreviousData,
  });

type Item<P extends Lists> = Answered<P> extends { items: (infer T)[] } ? T : never;

/** All of a list. */
export const every = <P extends Lists>(path: P, asked?: Asked<P>) =>
  queryOptions({
    queryKey: [path, asked ?? {}, "every"] as const,
    queryFn: ({ signal }) => everyPage<Item<P>>((next) => ask(path, after(asked, next), signal) as Promise<never>),
  });

/** What some operations would do, were they made. */
export const preview = (operations: Operation[]) =>
  queryOptions({
    queryKey: ["/changes/preview", operations] as const,
    queryFn: () => change(operations, "", true),
    retry: false,
  });

/** Reads again what is asked for under any of these paths. */
export const touched = (...under: string[]) =>
  queries.invalidateQueries({ predicate: (q) => under.some((path) => String(q.queryKey[0]).startsWith(path)) });
