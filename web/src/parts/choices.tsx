import { keepPreviousData, useQuery } from "@tanstack/react-query";
import type { Place, Schema } from "@/api/api";
import { read } from "@/api/read";
import type { Option } from "./Combobox";
import { isElsewhere } from "./words";

/** A place in use, as far as it is chosen from all. */
export type KnownPlace = Schema["PlaceBrief"] & { time_zone: string; site: string };

/** All places in use, parents before children. They are asked for once, and again by their tag. */
export function usePlaces(enabled = true) {
  return useQuery({ ...read("/outline"), staleTime: 60_000, select: withSites, enabled });
}

/** Each place with its site and the time zone of that; the organisation stands in none. */
function withSites({ items }: Schema["Outline"]): KnownPlace[] {
  const known = new Map<string, KnownPlace>();
  for (const p of items) {
    const above = known.get(p.parent ?? "");
    known.set(p.code, {
      ...p,
      site: p.kind === "site" ? p.code : (above?.site ?? p.code),
      time_zone: p.time_zone ?? above?.time_zone ?? "",
    });
  }
  return [...known.values()];
}

/** The time zones of all places in use, by code. */
const zonesOf = (outline: Schema["Outline"]) => new Map(withSites(outline).map((p) => [p.code, p.time_zone]));

/** The time zone of a place, by its code; undefined until the places are known. */
export function useZones(): (code: string | undefined) => string | undefined {
  const zones = useQuery({ ...read("/outline"), staleTime: 60_000, select: zonesOf });
  return (code) => (code && zones.data?.get(code)) || undefined;
}

/** The time zone in which somebody's dates count; asked for where some clock of the estate is not as the reader's own. */
export function useHomeZone(number: string): string | undefined {
  const zones = useQuery({ ...read("/outline"), staleTime: 60_000, select: zonesOf });
  const some = !!zones.data && [...new Set(zones.data.values())].some((zone) => isElsewhere(zone));
  const staff = useQuery({ ...read("/staff/{id}", { path: { id: number } }), enabled: some && number !== "" });
  return staff.data && zones.data?.get(staff.data.home_site.code);
}

/** All templates by name; with a place, each with whether it is yours to give there. */
export function useTemplates({ place, retired = false }: { place?: string | undefined; retired?: boolean } = {}) {
  const which = retired ? "all" : "false";
  return useQuery({
    ...read("/templates", { query: { limit: 500, retired: which, ...(place && { place }) } }),
    ...(place === undefined && { placeholderData: keepPreviousData }),
  });
}

/** All teams in use that one may know of. */
export function useTeams(enabled = true) {
  return useQuery({
    ...read("/teams", { query: { limit: 500 } }),
    staleTime: 30_000,
    enabled,
  });
}

/** Whether places stand in one of a kind. */
export const holdsOthers = (kind: Place["kind"]) => kind === "organisation" || kind === "site" || kind === "zone";

/** Permissions that mean something at a kind of place; of a site or a zone all, as places of every kind may stand in it. */
export function usePermissions(kind: Place["kind"] | undefined, { exact = false } = {}) {
  const asked = kind && (exact || !holdsOthers(kind)) ? kind : undefined;
  return useQuery({
    // The key says what is asked for, whichever page asks.
    ...read("/permissions", { query: { limit: 500, ...(asked && { kind: asked }) } }),
    staleTime: 60_000,
    enabled: kind !== undefined,
  });
}

/** Places to choose from, as a tree, each with its code. */
export const placeOptions = (places: KnownPlace[] | undefined): Option[] | undefined =>
  places?.map((p) => ({ value: p.code, label: p.name, note: p.code, depth: p.depth }));

/** Sites to choose from. */
export const siteOptions = (places: KnownPlace[] | undefined): Option[] | undefined =>
  places?.filter((p) => p.kind === "site").map((p) => ({ value: p.code, label: p.name, note: p.code }));

/** Templates to choose from; what is not yours to give is unavailable, and says so, where that matters. */
export const templateOptions = (
  templates: Schema["Template"][] | undefined,
  { giving = false } = {},
): Option[] | undefined =>
  templates?.map((t) => {
    const beyond = giving && !t.assignable;
    return { value: t.code, label: t.name, note: beyond ? "gives more than you hold" : t.code, disabled: beyond };
  });

/** Teams to choose from. */
export const teamOptions = (teams: Schema["Team"][] | undefined): Option[] | undefined =>
  teams?.map((t) => ({ value: t.code, label: t.name, note: t.code }));

/** Groups of the catalogue to choose from, as a tree. */
export const groupOptions = (
  groups: { key: string; title: string; depth: number }[] | undefined,
): Option[] | undefined => groups?.map((g) => ({ value: g.key, label: g.title, depth: g.depth }));

/** Permissions to choose from, each with its group. */
export const permissionOptions = (permissions: Schema["Permission"][] | undefined): Option[] | undefined =>
  permissions?.map((p) => ({ value: p.key, label: p.title, note: p.group_title }));
