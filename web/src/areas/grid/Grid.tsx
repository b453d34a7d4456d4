import { useQuery } from "@tanstack/react-query";
import { every, read } from "@/api/read";
import { useMe } from "@/areas/session/session";
import { NarrowBy } from "@/parts/Combobox";
import { groupOptions, placeOptions, templateOptions, usePlaces, useTemplates } from "@/parts/choices";
import { Choice, SearchBox } from "@/parts/fields";
import { Empty, Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { engagementWord } from "@/parts/words";
import { useFilters } from "@/search";
import { GridTable } from "./GridTable";

/** People × permissions at a place, or people × places for a permission. Edits go into the draft. */
export function Grid() {
  const [search, put] = useFilters("/grid");
  const me = useMe();
  const places = usePlaces();
  const templates = useTemplates();
  const sites = me.may["console.view_staff"] ?? [];
  const place = search.place ?? sites[0] ?? "";
  const groups = useQuery({ ...read("/groups") });
  const permissions = useQuery({
    ...every("/permissions", { query: { limit: 500 } }),
  });
  const query = {
    ...(search.permission
      ? { permission: search.permission, under: place }
      : { place, ...(search.group && { group: search.group }) }),
    ...(search.template && { template: search.template }),
    ...(search.title && { title: search.title }),
    ...(search.engagement && { engagement: search.engagement as "employee" }),
    ...(search.employer && { employer: search.employer }),
    ...(search.q && { q: search.q }),
  };
  return (
    <Page
      title="Grid"
      lead={search.permission ? "People and places for one permission" : "People and what they may do at one place"}
      acts={
        place && (
          <TakeAlong from="/grid" query={{ ...query, draft: "open" }} file="grid.csv">
            CSV of what is shown
          </TakeAlong>
        )
      }
    >
      <div className="mb-3 grid items-end gap-2 sm:grid-cols-3 lg:grid-cols-4">
        <NarrowBy
          label="Place"
          value={place}
          onChange={(e) => e.target.value && put({ place: e.target.value })}
          options={placeOptions(places.data)}
        />
        <NarrowBy
          label="Columns"
          placeholder="Columns: permissions there"
          value={search.permission ?? ""}
          onChange={(e) => put({ permission: e.target.value || undefined })}
          options={permissions.data?.map((p) => ({
            value: p.key,
            label: `Columns: places for “${p.title}”`,
            note: p.group_title,
          }))}
        />
        <NarrowBy
          label="Group of permissions"
          placeholder="All groups but the console's"
          disabled={!!search.permission}
          value={search.group ?? ""}
          onChange={(e) => put({ group: e.target.value || undefined })}
          options={groupOptions(groups.data?.items)}
        />
        <NarrowBy
          label="Template"
          placeholder="Any template"
          value={search.template ?? ""}
          onChange={(e) => put({ template: e.target.value || undefined })}
          options={templateOptions(templates.data?.items)}
        />
        <SearchBox label="Name or number" hint="Name or number" value={search.q} onChange={(q) => put({ q })} />
        <SearchBox label="Job title" hint="Words of it" value={search.title} onChange={(title) => put({ title })} />
        <Choice label="Engagement" value={search.engagement} onChange={(engagement) => put({ engagement })}>
          <option value="">Any engagement</option>
          {Object.entries(engagementWord).map(([k, w]) => (
            <option key={k} value={k}>
              {w}
            </option>
          ))}
        </Choice>
        <SearchBox
          label="Agency or employer"
          hint="Its name in full"
          value={search.employer}
          onChange={(employer) => put({ employer })}
        />
      </div>
      {place ? <GridTable query={query} /> : <Empty>You may see staff at no place, so there is no grid to show.</Empty>}
    </Page>
  );
}
