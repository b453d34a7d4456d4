import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { paged } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { RuleTabs } from "@/areas/templates/tabs";
import { Button } from "@/parts/Button";
import { NarrowBy } from "@/parts/Combobox";
import { placeOptions, templateOptions, usePlaces, useTemplates } from "@/parts/choices";
import { Filter, inputLook, SearchBox } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { type Search, useFilters } from "@/search";
import { LocalDialog } from "./LocalDialog";
import { LocalTable } from "./LocalTable";

type Asked = Search<"/local-settings">;

/** All local settings: which template gives something else, where, since when, until when, and why. */
export function LocalSettings() {
  const [search, put] = useFilters("/local-settings");
  const acts = useMay()("console.except");
  const templates = useTemplates();
  const places = usePlaces();
  const [making, setMaking] = useState(false);
  const query = {
    ...(search.template && { template: search.template }),
    ...(search.place && { place: search.place }),
    ...(search.q && { q: search.q }),
    sort: search.sort ?? ("newest" as const),
  };
  const pages = useInfiniteQuery({
    ...paged("/local-settings", { query: { ...query, limit: 100 } }),
    placeholderData: keepPreviousData,
  });
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <Page
      title="Local settings"
      lead={pages.data && `${pages.data.pages[0]?.total ?? 0} where a template gives something else than it says`}
      acts={
        <>
          <TakeAlong from="/local-settings" query={query} file="local-settings.csv" />
          {acts && (
            <Button look="main" onClick={() => setMaking(true)}>
              Make a local setting
            </Button>
          )}
        </>
      }
    >
      <RuleTabs />
      <div className="mb-3 grid items-end gap-2 sm:grid-cols-2 lg:grid-cols-[2fr_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)]">
        <SearchBox
          label="Search local settings"
          hint="Template, permission, place or reason"
          value={search.q}
          onChange={(q) => put({ q })}
        />
        <NarrowBy
          label="Template"
          placeholder="Any template"
          value={search.template ?? ""}
          onChange={(e) => put({ template: e.target.value || undefined })}
          options={templateOptions(templates.data?.items)}
        />
        <NarrowBy
          label="Place"
          placeholder="Any place"
          value={search.place ?? ""}
          onChange={(e) => put({ place: e.target.value || undefined })}
          options={placeOptions(places.data)}
        />
        <Filter label="Order">
          <select
            aria-label="Order"
            value={query.sort}
            onChange={(e) => put({ sort: e.target.value as Asked["sort"] })}
            className={inputLook}
          >
            <option value="newest">Newest first</option>
            <option value="oldest">Oldest first</option>
            <option value="until">Ending first</option>
            <option value="place">By place</option>
            <option value="template">By template</option>
          </select>
        </Filter>
      </div>
      <Listed
        of={pages}
        empty={
          <>
            No local settings match. A local setting gives a template another level of one permission at a place, for
            everyone who has the template there.
          </>
        }
      >
        {() => <LocalTable items={items} acts={acts} />}
      </Listed>
      {pages.hasNextPage && (
        <Button className="mt-4" onClick={() => pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
          Show more
        </Button>
      )}
      {making && <LocalDialog of={search} close={() => setMaking(false)} />}
    </Page>
  );
}
