import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Building2, ChevronDown, ChevronRight, Cog, DoorClosed, Factory, LayoutGrid, MapPin } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import type { Place } from "@/api/api";
import { read } from "@/api/read";
import { holdsOthers, usePlaces } from "@/parts/choices";
import { kindWord } from "@/parts/words";

const icons = {
  organisation: Building2,
  site: MapPin,
  zone: LayoutGrid,
  door: DoorClosed,
  device: Cog,
  work_centre: Factory,
};

/** How many places are read at once. An estate that has more is read branch by branch. */
const atOnce = 500;

/** How many places a search in a large estate shows. */
const found = 100;

/** What the page of the estate reads: the whole of a small one, of a large one what is asked for. */
export function useEstate({ code, q, retired }: { code: string | undefined; q: string; retired: boolean }) {
  const which = retired ? "all" : "false";
  const first = useQuery({
    ...read("/places", { query: { limit: atOnce, retired: which } }),
    staleTime: 30_000,
    placeholderData: keepPreviousData,
  });
  const all = first.data?.items ?? [];
  const large = Boolean(first.data?.next);
  const near = all.find((p) => p.code === code) ?? (code ? undefined : (all.find((p) => p.kind === "site") ?? all[0]));
  const far = useQuery({
    ...read("/places/{id}", { path: { id: code ?? "" } }),
    enabled: code !== undefined && !near, // beside the first, which may not hold it
  });
  const words = q.trim();
  const search = useQuery({
    ...read("/places", { query: { limit: found, q: words, retired: which } }),
    enabled: large && words !== "",
    placeholderData: keepPreviousData,
  });
  const small = useMemo(() => matching(all, q), [all, q]);
  return {
    large,
    total: first.data?.total ?? 0,
    chosen: near ?? (large ? far.data : undefined),
    fits: large ? (search.data?.items ?? []) : small,
    more: large && words ? Math.max(0, (search.data?.total ?? 0) - found) : 0,
    first,
    wanting: far.isLoading && !far.data, // the place that is asked for
    error: (large ? far.error : null) ?? search.error,
  };
}

/** Places that fit, with those above them, so that a tree remains. */
function matching(all: Place[], q: string): Place[] {
  const words = q.trim().toLowerCase();
  if (!words) return all;
  const keep = new Set<string>();
  const parents = new Map(all.map((p) => [p.code, p.parent?.code]));
  for (const p of all) {
    if (!`${p.name} ${p.code}`.toLowerCase().includes(words)) continue;
    for (let code: string | undefined = p.code; code; code = parents.get(code)) keep.add(code);
  }
  return all.filter((p) => keep.has(p.code));
}

/** One place of the tree. */
export function PlaceRow({ place, here, depth }: { place: Place; here: boolean; depth: number }) {
  const Icon = icons[place.kind];
  return (
    <Link
      to="/estate/$code"
      params={{ code: place.code }}
      aria-current={here ? "page" : undefined}
      className={`flex min-w-0 grow items-center gap-2 py-1 pr-3 ${here ? "bg-damson-wash font-semibold" : "hover:bg-inset"}`}
      style={{ paddingLeft: `${0.75 + depth * 1.15}rem` }}
    >
      <Icon size={15} className="shrink-0 text-brass" aria-label={kindWord[place.kind]} />
      <span className={`truncate ${place.retired ? "text-faded line-through" : ""}`}>{place.name}</span>
      <span className="ml-auto pl-2 text-sm whitespace-nowrap text-faded">{place.code}</span>
    </Link>
  );
}

/** A large estate: its sites, and what stands in them as they are opened. What is chosen is in sight. */
export function Branches({ chosen, retired }: { chosen: Place | undefined; retired: boolean }) {
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set());
  const places = usePlaces();
  const above = useMemo(() => {
    const known = new Map(places.data?.map((p) => [p.code, p]));
    const codes: string[] = [];
    for (let at = known.get(chosen?.parent?.code ?? ""); at?.parent; at = known.get(at.parent)) codes.push(at.code);
    return codes; // without the organisation, which is open from the start
  }, [places.data, chosen?.parent?.code]);
  useQueries({ queries: above.map((code) => level(code, retired)) }); // asked for at once, not one after another
  useEffect(() => setOpen((was) => new Set([...was, ...above])), [above]);
  const toggle = (code: string) =>
    setOpen((was) => {
      const next = new Set(was);
      if (!next.delete(code)) next.add(code);
      return next;
    });
  return <Level parent="" depth={0} open={open} toggle={toggle} chosen={chosen?.code} retired={retired} />;
}

type Opened = {
  parent: string;
  depth: number;
  open: ReadonlySet<string>;
  toggle: (code: string) => void;
  chosen: string | undefined;
  retired: boolean;
};

/** What stands directly in a place; the organisation where that is none. */
const level = (parent: string, retired: boolean) => ({
  ...read("/places", {
    query: {
      limit: atOnce,
      retired: retired ? ("all" as const) : ("false" as const),
      ...(parent ? { parent } : { kind: "organisation" as const }),
    },
  }),
  staleTime: 30_000,
});

function Level({ parent, depth, open, toggle, chosen, retired }: Opened) {
  const here = useQuery(level(parent, retired));
  /** The organisation is open unless it was closed, all others are closed unless they were opened. */
  const shows = (p: Place) => open.has(p.code) !== (p.kind === "organisation");
  const beyond = (here.data?.total ?? 0) - (here.data?.items.length ?? 0);
  return (
    <>
      {here.data?.items.map((p) => (
        <div key={p.code} className="[content-visibility:auto] [contain-intrinsic-size:auto_2rem]">
          <div className="flex items-center" style={{ paddingLeft: `${depth * 1.15}rem` }}>
            {holdsOthers(p.kind) ? (
              <button
                type="button"
                aria-expanded={shows(p)}
                aria-label={`What stands in ${p.name}`}
                onClick={() => toggle(p.code)}
                className="ml-1 shrink-0 p-1 text-faded hover:text-ink"
              >
                {shows(p) ? <ChevronDown size={14} aria-hidden /> : <ChevronRight size={14} aria-hidden />}
              </button>
            ) : (
              <span className="ml-1 w-[1.375rem] shrink-0" />
            )}
            <PlaceRow place={p} here={p.code === chosen} depth={-0.4} />
          </div>
          {shows(p) && (
            <Level parent={p.code} depth={depth + 1} open={open} toggle={toggle} chosen={chosen} retired={retired} />
          )}
        </div>
      ))}
      {beyond > 0 && <p className="px-3 py-1 text-faded">and {beyond} more: search for them.</p>}
    </>
  );
}
