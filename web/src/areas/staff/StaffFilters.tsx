import { NarrowBy } from "@/parts/Combobox";
import { teamOptions, templateOptions, useTeams, useTemplates } from "@/parts/choices";
import { Choice, SearchBox } from "@/parts/fields";
import { PlaceChoice, SiteChoice } from "@/parts/PlaceChoice";
import { engagementWord } from "@/parts/words";
import type { Search } from "@/search";

type Asked = Search<"/staff">;

/** What narrows the list of staff. */
export function StaffFilters({ search, put }: { search: Asked; put: (next: Asked) => void }) {
  const templates = useTemplates();
  const teams = useTeams();
  return (
    <div className="mb-3 grid grid-cols-2 items-end gap-2 md:grid-cols-4">
      <div className="col-span-2 md:col-span-1">
        <SearchBox
          label="Search staff"
          hint="Name, number, job title, employer"
          value={search.q}
          onChange={(q) => put({ q })}
        />
      </div>
      <Choice label="Status" value={search.status} onChange={(status) => put({ status })}>
        <option value="">Any status</option>
        <option value="active">Active</option>
        <option value="prepared">Prepared</option>
        <option value="left">Left</option>
        <option value="locked">Locked</option>
        <option value="stuck">Cannot work as intended</option>
        <option value="owner">Owners</option>
      </Choice>
      <Choice label="Engagement" value={search.engagement} onChange={(engagement) => put({ engagement })}>
        <option value="">Any engagement</option>
        {Object.entries(engagementWord).map(([key, word]) => (
          <option key={key} value={key}>
            {word}
          </option>
        ))}
      </Choice>
      <SiteChoice label="Home site" value={search.site} onChange={(site) => put({ site })} />
      <NarrowBy
        label="Template"
        options={templateOptions(templates.data?.items)}
        value={search.template ?? ""}
        onChange={(e) => put({ template: e.target.value })}
        placeholder="Any template"
      />
      <PlaceChoice label="Works at" value={search.place} onChange={(place) => put({ place })} />
      <NarrowBy
        label="Team"
        options={teamOptions(teams.data?.items)}
        value={search.team ?? ""}
        onChange={(e) => put({ team: e.target.value })}
        placeholder="Any team"
      />
    </div>
  );
}
