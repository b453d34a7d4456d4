import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMe } from "@/areas/session/session";
import { Choice } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Empty, Page } from "@/parts/Page";
import { howMany, moment } from "@/parts/words";
import { useFilters } from "@/search";

type Draft = Schema["Draft"];

export const stateWord: Record<Draft["state"], string> = {
  open: "Open",
  planned: "Planned",
  failed: "Could not be applied",
  given: "Given to you",
  applied: "Applied",
  discarded: "Discarded",
};
export const stateLook: Record<Draft["state"], string> = {
  open: "text-soon bg-soon-wash",
  planned: "text-damson bg-damson-wash",
  failed: "text-shut bg-shut-wash",
  given: "text-soon bg-soon-wash",
  applied: "text-open bg-open-wash",
  discarded: "text-faded bg-inset",
};

/** One's drafts: open, planned, failed, and those that were applied or discarded. */
export function Drafts() {
  const me = useMe();
  const [{ which = "open" }, put] = useFilters("/drafts");
  const all = which === "everybody";
  const state = which === "open" ? ["open", "planned", "failed", "given"] : [which];
  const list = useQuery({
    ...read("/drafts", { query: all ? { all: true, limit: 200 } : { state, limit: 200 } }),
  });
  return (
    <Page title="Drafts" lead="Edits collected to be made as one change, now or at a moment you plan">
      <div className="mb-4 max-w-xs">
        <Choice label="Which drafts" value={which === "open" ? undefined : which} onChange={(which) => put({ which })}>
          <option value="">Yours that are not settled</option>
          <option value="applied">Yours that were applied</option>
          <option value="discarded">Yours that were discarded</option>
          {(me.owner || me.everywhere.includes("console.read_audit")) && (
            <option value="everybody">Planned by anybody</option>
          )}
        </Choice>
      </div>
      <Listed of={list}>{() => null}</Listed>
      {list.data?.total === 0 && (
        <Empty>
          No draft here. Edit a{" "}
          <Link to="/templates" className="text-damson underline">
            template
          </Link>{" "}
          or the{" "}
          <Link to="/grid" className="text-damson underline">
            grid
          </Link>
          : the edits collect in a draft until you apply it.
        </Empty>
      )}
      <ul className="space-y-2">
        {list.data?.items.map((d) => (
          <li key={d.id}>
            <Link
              to="/drafts/$id"
              params={{ id: String(d.id) }}
              className="sheet flex flex-wrap items-baseline justify-between gap-3 px-4 py-2.5 hover:bg-inset"
            >
              <span>
                <span className={`mr-3 rounded-sm px-1.5 py-px text-sm font-semibold ${stateLook[d.state]}`}>
                  {stateWord[d.state]}
                </span>
                <b>{d.title || `Draft ${d.id}`}</b>, {howMany(d.count, "edit", "edits")}
                {!d.own && <span className="text-faded"> by {d.owner.name}</span>}
                {d.problem && <span className="block text-shut">{d.problem}</span>}
              </span>
              <span className="text-faded">
                {d.planned_for ? `for ${moment(d.planned_for)}` : `last edited ${moment(d.updated_at)}`}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </Page>
  );
}
