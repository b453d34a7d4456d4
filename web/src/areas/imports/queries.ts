import { queryOptions, useMutation, useQuery } from "@tanstack/react-query";
import { api, queries, type Schema, take } from "@/api/api";
import { read, touched } from "@/api/read";

export type Import = Schema["Import"];
export type Row = Schema["ImportRow"];
export type Outcome = Row["outcome"];

const oneImport = (id: number) => read("/imports/{id}", { path: { id } });

/** Takes in an import as the service answered it. */
export const took = (next: Import) => {
  queries.setQueryData(oneImport(next.id).queryKey, next);
  return touched("/imports/{id}/rows");
};

/** One import; while it is brought in it is read again and again. */
export const useImport = (id: number) =>
  useQuery({
    ...oneImport(id),
    refetchInterval: (query) => (query.state.data?.state === "running" ? 500 : false),
  });

/** The columns that a file may have. */
export const columnKinds = queryOptions({
  ...read("/imports/columns", { query: { limit: 100 } }),
  staleTime: Number.POSITIVE_INFINITY,
});

/** Changes how a file is read, or what becomes of rows. */
export function useEdit(of: Import) {
  return useMutation({
    mutationFn: (edit: Schema["ImportEdit"]) =>
      take(api.PATCH("/imports/{id}", { params: { path: { id: of.id } }, body: { version: of.version, ...edit } })),
    onSuccess: took,
  });
}

/** How the outcomes of rows are said. */
export const outcomes: Record<Outcome, { word: string; mark: "active" | "stuck" | "wrong" | "left" }> = {
  new: { word: "New", mark: "active" },
  update: { word: "Changed", mark: "active" },
  back: { word: "Comes back", mark: "active" },
  same: { word: "No change", mark: "left" },
  asked: { word: "On record?", mark: "stuck" },
  faulty: { word: "Wrong", mark: "wrong" },
  in: { word: "Brought in", mark: "active" },
  out: { word: "Left out", mark: "left" },
};
