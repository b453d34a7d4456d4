import { useInfiniteQuery } from "@tanstack/react-query";
import { getCoreRowModel, useReactTable } from "@tanstack/react-table";
import { useCallback, useDeferredValue, useEffect, useMemo, useState } from "react";
import type { Schema } from "@/api/api";
import { paged } from "@/api/read";
import { StaffTabs } from "@/areas/teams/tabs";
import { Button } from "@/parts/Button";
import { Listed } from "@/parts/Listed";
import { useNarrow } from "@/parts/narrow";
import { Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { people } from "@/parts/words";
import { type Search, staffColumns, useFilters } from "@/search";
import { columns, sortingOf, usual } from "./columns";
import { type Chosen, ManyBar } from "./Many";
import { StaffCards } from "./StaffCards";
import { StaffFilters } from "./StaffFilters";
import { type Choosing, ColumnsMenu, StaffTable } from "./StaffTable";

/** What the service is asked for by what stands in the address. */
function filterOf({ q, status, sort: _, columns: __, ...filter }: Search<"/staff">): Schema["StaffFilter"] {
  return {
    ...filter,
    ...(q?.trim() && { q: q.trim() }),
    ...(status === "locked"
      ? { locked: "true" as const }
      : status === "stuck"
        ? { readiness: "stuck" }
        : status === "owner"
          ? { owner: "true" as const }
          : status && { status }),
  };
}

/** The list of staff: search, filter, sort, choose columns, take it along, act on many at once. */
export function StaffList() {
  const [search, put] = useFilters("/staff");
  const asked = useDeferredValue(JSON.stringify(filterOf(search)));
  const filter = useMemo(() => JSON.parse(asked) as Schema["StaffFilter"], [asked]);
  const sort = search.sort ?? "name";
  const pages = useInfiniteQuery(paged("/staff", { query: { ...filter, sort, limit: 200 } }));
  const rows = useMemo(() => pages.data?.pages.flatMap((p) => p.items) ?? [], [pages.data]);
  const total = pages.data?.pages[0]?.total ?? 0;
  const shown = (search.columns?.split(",") ?? usual) as string[];
  const table = useReactTable({
    data: rows,
    columns,
    state: {
      sorting: sortingOf(search.sort),
      columnVisibility: Object.fromEntries(staffColumns.map((c) => [c, c === "name" || shown.includes(c)])),
    },
    onSortingChange: (next) => {
      const sorted = typeof next === "function" ? next(sortingOf(search.sort)) : next;
      put({ sort: sorted.map((s) => (s.desc ? "-" : "") + s.id).join(",") });
    },
    onColumnVisibilityChange: (next) => {
      const now = Object.fromEntries(staffColumns.map((c) => [c, c === "name" || shown.includes(c)]));
      const seen = typeof next === "function" ? next(now) : next;
      put({ columns: staffColumns.filter((c) => seen[c]).join(",") });
    },
    getCoreRowModel: getCoreRowModel(),
    manualSorting: true,
  });
  const chosen = useChoice(asked, filter, rows, total);
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = pages;
  const more = useCallback(() => {
    if (hasNextPage && !isFetchingNextPage) fetchNextPage();
  }, [hasNextPage, isFetchingNextPage, fetchNextPage]);
  const narrow = useNarrow();
  const filtered = asked !== "{}";
  return (
    <Page
      title="Staff"
      lead={
        pages.data && (
          <span role="status">
            {people(total)}
            {filtered && (total === 1 ? " fits" : " fit")}
          </span>
        )
      }
      acts={
        <>
          <ColumnsMenu table={table} />
          <TakeAlong from="/staff" query={{ ...filter, sort } as Record<string, string>} file="staff.csv" />
        </>
      }
    >
      <StaffTabs />
      <StaffFilters search={search} put={put} />
      <ManyBar chosen={chosen.chosen} clear={() => chosen.choose(false)} />
      {chosen.all && !chosen.everyone && total > rows.length && (
        <p className="mb-3">
          The {rows.length} people shown are chosen.{" "}
          <Button look="quiet" onClick={() => chosen.choose(true)}>
            Choose all {total.toLocaleString("en-IE")} that fit
          </Button>
        </p>
      )}
      <Listed
        of={pages}
        empty={
          filtered
            ? "Nobody fits. Take a filter away, or search for part of a name."
            : "Nobody is on record yet. Begin with Enrol."
        }
      >
        {() =>
          narrow ? (
            <StaffCards rows={rows} total={total} choosing={chosen} more={more} />
          ) : (
            <StaffTable table={table} total={total} choosing={chosen} more={more} />
          )
        }
      </Listed>
    </Page>
  );
}

/** Who is chosen: some of those shown, or all that the filter keeps. Under another filter nobody is. */
function useChoice(
  asked: string,
  filter: Schema["StaffFilter"],
  rows: Schema["Staff"][],
  total: number,
): Choosing & { chosen: Chosen; everyone: boolean } {
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set());
  const [everyone, setEveryone] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is the filter that changes
  useEffect(() => {
    setPicked(new Set());
    setEveryone(false);
  }, [asked]);
  return {
    everyone,
    chosen: everyone ? { numbers: [], filter, count: total } : { numbers: [...picked], count: picked.size },
    all: rows.length > 0 && (everyone || picked.size >= rows.length),
    has: (number) => everyone || picked.has(number),
    toggle: (number) => {
      const next = new Set(everyone ? rows.map((r) => r.staff_number) : picked);
      if (!next.delete(number)) next.add(number);
      setEveryone(false);
      setPicked(next);
    },
    choose: (all) => {
      setEveryone(all);
      setPicked(new Set());
    },
  };
}
