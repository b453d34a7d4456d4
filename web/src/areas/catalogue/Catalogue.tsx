import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Upload } from "lucide-react";
import { Fragment, useDeferredValue, useMemo, useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { every, read } from "@/api/read";
import { useMay, useMe } from "@/areas/session/session";
import { RuleTabs } from "@/areas/templates/tabs";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { SearchBox } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Empty, Page } from "@/parts/Page";
import { PeopleList } from "@/parts/PeopleList";
import { TakeAlong } from "@/parts/TakeAlong";
import { howMany } from "@/parts/words";
import { type Search, useFilters } from "@/search";
import { EditDialog } from "./EditDialog";
import { ImportDialog } from "./ImportDialog";
import { GroupRow, PermissionRow } from "./Rows";
import { TiersDialog } from "./TiersDialog";

type Permission = Schema["Permission"];
type Group = Schema["Group"];

const nothingFits = "Nothing in the catalogue fits. Try fewer letters, or another word.";
const nothingYet = "The catalogue is empty. Import a starter set to begin, or add a group and a permission.";

/** The catalogue of what somebody may do: its groups and permissions, their scales and where they apply. */
export function Catalogue() {
  const me = useMe();
  const [asked, put] = useFilters("/catalogue");
  const { q = "", retired = false } = asked;
  const [editing, setEditing] = useState<Permission | Group | "permission" | "group" | "import">();
  const [ready, setReady] = useState<{
    title: string;
    about: string;
    button: string;
    operations: Operation[];
    grave?: boolean;
  }>();
  const [holders, setHolders] = useState<Permission>();
  const shows = (permission?: string) => put({ permission });
  const search = useDeferredValue(q.trim());
  const may = useMay();
  const sees = may("console.view_staff");
  const edits = me.everywhere.includes("console.edit_catalogue") || !!me.owner;
  const shown = retired ? "all" : "false";
  const groups = useQuery({
    ...read("/groups", { query: { retired: shown } }),
  });
  const permissions = useQuery({
    ...every("/permissions", { query: { limit: 500, retired: shown, ...(search && { q: search }) } }),
    placeholderData: keepPreviousData,
  });
  const byGroup = useMemo(() => {
    const map = new Map<string, Permission[]>();
    for (const p of permissions.data ?? [])
      if (!asked.undecided || p.undecided) map.set(p.group, [...(map.get(p.group) ?? []), p]);
    return map;
  }, [permissions.data, asked.undecided]);
  const inTemplates = permissions.data?.find((p) => p.key === asked.permission);
  const all = groups.data?.items ?? [];
  const act = (of: Permission | Group, kind: "permission" | "group") =>
    setReady({
      title: `${of.retired ? "Bring back" : "Retire"} ${of.title}`,
      about: of.retired
        ? "Templates that set it give it again."
        : "Nobody has it any more. The record stays, and it can be brought back.",
      button: of.retired ? "Bring it back" : "Retire it",
      grave: !of.retired,
      operations: [{ op: `${kind}.${of.retired ? "restore" : "retire"}`, on: of.key }],
    });
  return (
    <Page
      title="Catalogue"
      lead={permissions.data && `${permissions.data.length} permissions in ${howMany(all.length, "group", "groups")}`}
      acts={
        <>
          <TakeAlong from="/rulebook" file="rulebook.yaml" type="application/yaml">
            YAML
          </TakeAlong>
          {edits && (
            <>
              <Button onClick={() => setEditing("import")}>
                <Upload size={16} aria-hidden /> Import
              </Button>
              <Button onClick={() => setEditing("group")}>Add a group</Button>
              <Button look="main" onClick={() => setEditing("permission")}>
                Add a permission
              </Button>
            </>
          )}
        </>
      }
    >
      <RuleTabs />
      <Filters search={asked} put={put} />
      {groups.error && <Listed of={groups}>{() => null}</Listed>}
      <Listed of={permissions} empty={search ? nothingFits : nothingYet}>
        {() => null}
      </Listed>
      {asked.undecided && permissions.data && byGroup.size === 0 && (
        <Empty>Every template has decided everything in the catalogue.</Empty>
      )}
      <div className="sheet overflow-x-auto">
        <table className="w-full">
          <thead className="bg-inset text-left text-sm text-faded">
            <tr>
              <th className="px-3 py-1.5 font-semibold">May</th>
              <th className="px-2 font-semibold">Scale</th>
              <th className="px-2 font-semibold">Applies to</th>
              <th className="px-2 font-semibold">Given by</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {all
              .filter((g) => (!search && !asked.undecided) || byGroup.has(g.key))
              .map((g) => (
                <Fragment key={g.key}>
                  <GroupRow of={g} edits={edits} change={() => setEditing(g)} retire={() => act(g, "group")} />
                  {byGroup.get(g.key)?.map((p) => (
                    <PermissionRow
                      key={p.key}
                      of={p}
                      depth={g.depth + 1}
                      edits={edits}
                      sees={sees}
                      change={() => setEditing(p)}
                      retire={() => act(p, "permission")}
                      templates={() => shows(p.key)}
                      holders={() => setHolders(p)}
                    />
                  ))}
                </Fragment>
              ))}
          </tbody>
        </table>
      </div>
      {editing === "import" && <ImportDialog close={() => setEditing(undefined)} />}
      {editing && editing !== "import" && (
        <EditDialog
          of={editing}
          groups={all.filter((g) => !g.retired && !g.console)}
          close={() => setEditing(undefined)}
          go={(next) => {
            setEditing(undefined);
            setReady(next);
          }}
        />
      )}
      {inTemplates && (
        <TiersDialog
          permission={inTemplates}
          close={() => shows()}
          {...(sees && {
            people: () => {
              shows();
              setHolders(inTemplates);
            },
          })}
        />
      )}
      {holders && <HoldersDialog permission={holders} close={() => setHolders(undefined)} />}
      {ready && <ChangeDialog {...ready} close={() => setReady(undefined)} />}
    </Page>
  );
}

function Filters({ search, put }: { search: Search<"/catalogue">; put: (next: Search<"/catalogue">) => void }) {
  return (
    <div className="mb-3 flex flex-wrap items-end gap-x-5 gap-y-2">
      <div className="max-w-lg flex-1">
        <SearchBox
          label="Find a permission"
          hint="By any word of its title or sentence"
          value={search.q}
          onChange={(q) => put({ q })}
        />
      </div>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={!!search.retired}
          onChange={(e) => put({ retired: e.target.checked || undefined })}
          className="size-4 accent-damson"
        />{" "}
        Show what is retired
      </label>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={!!search.undecided}
          onChange={(e) => put({ undecided: e.target.checked || undefined })}
          className="size-4 accent-damson"
        />{" "}
        Only what is undecided
      </label>
    </div>
  );
}

/** Everybody who holds a permission anywhere: through what, where, until when. */
function HoldersDialog({ permission, close }: { permission: Permission; close: () => void }) {
  const path = { path: { id: permission.key } };
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Who has “${permission.title}”`}
      about={
        <Link to="/grid" search={{ permission: permission.key }} className="text-damson underline underline-offset-2">
          As a grid of people and places
        </Link>
      }
    >
      <PeopleList
        about={permission.key}
        people={(how) => read("/permissions/{id}/people", { ...path, query: how })}
        from={`/permissions/${encodeURIComponent(permission.key)}/people`}
        columns={[
          { title: "Where", of: (h) => h.place.name },
          { title: "Through", of: (h) => h.through },
        ]}
        scale={permission.scale}
        empty="Nobody. Decide it in a template, or add it for one person by an exception."
        said={(n) => howMany(n, "holding, now or later.", "holdings, now or later.")}
        className="max-h-[50vh]"
      />
      <Button className="mt-4" onClick={close}>
        Close
      </Button>
    </Ask>
  );
}
