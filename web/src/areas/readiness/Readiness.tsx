import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { paged, read } from "@/api/read";
import { Button } from "@/parts/Button";
import { Choice } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { SiteChoice } from "@/parts/PlaceChoice";
import { StuckLine, TodayTabs } from "@/parts/stuck";
import { TakeAlong } from "@/parts/TakeAlong";
import { useFilters } from "@/search";

const codes: Record<string, string> = {
  locked: "Locked",
  contract_ended: "Contract ended",
  barred: "Barred",
  no_assignment: "No assignment",
  assignment_ended: "Assignment ended",
  template_gives_nothing: "Template gives nothing",
  hours_never_meet: "Hours never meet",
  qualification_missing: "Qualification missing",
  qualification_ended: "Qualification run out",
  notice_not_accepted: "Notice not accepted",
  no_credential: "No PIN and no badge",
  credential_not_accepted: "Nothing that opens",
  some_doors_shut: "Some doors shut",
  badge_suspended: "Badge suspended",
  credential_needed: "Credential needed",
  no_sign_in: "No console sign-in",
};

/** Everybody who cannot work as intended, with what keeps them and the act that mends it. */
export function Readiness() {
  const [{ site, code, prepared = false }, put] = useFilters("/readiness");
  const asked = { ...(site && { site }), ...(prepared && { prepared: true as const }) };
  const counts = useQuery({
    ...read("/readiness/counts", { query: asked }),
    placeholderData: keepPreviousData,
  });
  const query = { ...asked, ...(code && { code }) };
  const pages = useInfiniteQuery({
    ...paged("/readiness", { query: { ...query, limit: 50 } }),
    placeholderData: keepPreviousData,
  });
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <Page
      title="Not ready"
      lead={
        counts.data && (
          <span role="status">
            {counts.data.stuck} of {counts.data.workers.toLocaleString("en-IE")} who are to work cannot work as intended
          </span>
        )
      }
      acts={<TakeAlong from="/readiness" query={query as Record<string, string>} file="not-ready.csv" />}
    >
      <TodayTabs />
      <div className="mb-4 grid items-end gap-2 sm:grid-cols-[minmax(0,1fr)_minmax(0,1fr)_auto]">
        <SiteChoice label="Home site" value={site} onChange={(site) => put({ site })} />
        <Choice label="What keeps them" value={code} onChange={(code) => put({ code })}>
          <option value="">Anything</option>
          {Object.entries(counts.data?.codes ?? {}).map(([key, n]) => (
            <option key={key} value={key}>
              {codes[key] ?? key} ({n})
            </option>
          ))}
        </Choice>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={prepared}
            onChange={(e) => put({ prepared: e.target.checked || undefined })}
            className="size-4 accent-damson"
          />
          Also who starts later than in a week
        </label>
      </div>
      <Listed of={pages} empty={<>Everybody who is to work can work as intended.</>}>
        {() => (
          <ul className="sheet divide-y divide-rule">
            {items.map((p) => (
              <li key={p.staff_number} className="px-4 py-2.5">
                <StuckLine person={p} />
              </li>
            ))}
          </ul>
        )}
      </Listed>
      {pages.hasNextPage && (
        <Button className="mt-3" disabled={pages.isFetchingNextPage} onClick={() => pages.fetchNextPage()}>
          Show more
        </Button>
      )}
    </Page>
  );
}
