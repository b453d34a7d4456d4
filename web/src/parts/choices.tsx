import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, everyPage, type Place, type Schema, take } from "@/api/api";

/** The whole estate, parents before children. */
export function usePlaces({ retired = false } = {}) {
  const which = retired ? "all" : "false";
  return useQuery({
    queryKey: ["places", "tree", which],
    queryFn: () =>
      everyPage((after) =>
        take(api.GET("/places", { params: { query: { limit: 500, retired: which, ...(after && { after }) } } })),
      ),
    staleTime: 30_000,
    placeholderData: keepPreviousData,
  });
}

/** All templates by name; with a place, each with whether it is yours to give there. */
export function useTemplates({ place, retired = false }: { place?: string | undefined; retired?: boolean } = {}) {
  const which = retired ? "all" : "false";
  return useQuery({
    queryKey: ["templates", place ?? "", which],
    queryFn: () =>
      take(api.GET("/templates", { params: { query: { limit: 500, retired: which, ...(place && { place }) } } })),
    ...(place === undefined && { placeholderData: keepPreviousData }),
  });
}

/** All teams in use that one may know of. */
export function useTeams(enabled = true) {
  return useQuery({
    queryKey: ["teams", "choice"],
    queryFn: () => take(api.GET("/teams", { params: { query: { limit: 500 } } })),
    staleTime: 30_000,
    enabled,
  });
}

/** Permissions that mean something at a kind of place; of a site or a zone all, as places of every kind may stand in it. */
export function usePermissions(kind: Place["kind"] | undefined, { exact = false } = {}) {
  const asked = kind && (exact || (kind !== "site" && kind !== "zone")) ? kind : undefined;
  return useQuery({
    // The key says what is asked for, whichever page asks.
    queryKey: ["permissions", "of kind", asked ?? "all"],
    queryFn: () => take(api.GET("/permissions", { params: { query: { limit: 500, ...(asked && { kind: asked }) } } })),
    staleTime: 60_000,
    enabled: kind !== undefined,
  });
}

/** Sites to choose from. */
export function SiteOptions({ places }: { places?: Place[] | undefined }) {
  return places
    ?.filter((p) => p.kind === "site")
    .map((p) => (
      <option key={p.code} value={p.code}>
        {p.name}
      </option>
    ));
}

const inset = (depth: number) => "\u2003".repeat(depth);

/** Places to choose from, as a tree. */
export function PlaceOptions({ places }: { places?: Place[] }) {
  return places?.map((p) => (
    <option key={p.code} value={p.code}>
      {inset(p.depth)}
      {p.name} ({p.code})
    </option>
  ));
}

/** Templates to choose from; what is not yours to give is unavailable, with the reason, where that matters. */
export function TemplateOptions({ templates, giving }: { templates?: Schema["Template"][]; giving?: boolean }) {
  return templates?.map((t) => (
    <option key={t.code} value={t.code} disabled={giving && !t.assignable} title={giving ? t.why_not : undefined}>
      {t.name}
      {giving && !t.assignable && " (gives more than you hold)"}
    </option>
  ));
}

/** Groups of the catalogue to choose from, as a tree. */
export function GroupOptions({ groups }: { groups?: { key: string; title: string; depth: number }[] }) {
  return groups?.map((g) => (
    <option key={g.key} value={g.key}>
      {inset(g.depth)}
      {g.title}
    </option>
  ));
}

/** Permissions to choose from, each with its group. */
export function PermissionOptions({ permissions }: { permissions?: Schema["Permission"][] }) {
  return permissions?.map((p) => (
    <option key={p.key} value={p.key}>
      {p.group_title}: {p.title}
    </option>
  ));
}
