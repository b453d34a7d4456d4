import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { Upload } from "lucide-react";
import { Fragment, useDeferredValue, useMemo, useState } from "react";
import { api, everyPage, type Operation, type Schema, take } from "@/api/api";
import { useMay, useMe } from "@/areas/session/session";
import { RuleTabs } from "@/areas/templates/tabs";
import { Combobox } from "@/parts/Combobox";
import { ChangeDialog } from "@/parts/change";
import { groupOptions } from "@/parts/choices";
import { PeopleList } from "@/parts/PeopleList";
import {
  Ask,
  Button,
  Empty,
  inputLook,
  kindWord,
  Loading,
  Page,
  SelectField,
  TakeAlong,
  TextField,
  Wrong,
} from "@/parts/parts";
import { ImportDialog } from "./ImportDialog";
import { TiersDialog } from "./TiersDialog";

type Permission = Schema["Permission"];
type Group = Schema["Group"];

/** The catalogue of what somebody may do: its groups and permissions, their scales and where they apply. */
export function Catalogue() {
  const me = useMe();
  const [q, setQ] = useState("");
  const [retired, setRetired] = useState(false);
  const [editing, setEditing] = useState<Permission | Group | "permission" | "group" | "import">();
  const [ready, setReady] = useState<{
    title: string;
    about: string;
    button: string;
    operations: Operation[];
    grave?: boolean;
  }>();
  const [holders, setHolders] = useState<Permission>();
  const asked = useSearch({ strict: false }) as { undecided?: boolean; permission?: string };
  const navigate = useNavigate();
  const shows = (permission?: string) => navigate({ to: "/catalogue", search: { ...asked, permission } });
  const search = useDeferredValue(q.trim());
  const may = useMay();
  const sees = may("console.view_staff");
  const edits = me.everywhere.includes("console.edit_catalogue") || !!me.owner;
  const shown = retired ? "all" : "false";
  const groups = useQuery({
    queryKey: ["groups", shown],
    queryFn: () => take(api.GET("/groups", { params: { query: { retired: shown } } })),
  });
  const permissions = useQuery({
    queryKey: ["catalogue", search, shown],
    queryFn: () =>
      everyPage((after) =>
        take(
          api.GET("/permissions", {
            params: { query: { limit: 500, retired: shown, ...(search && { q: search }), ...(after && { after }) } },
          }),
        ),
      ),
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
      lead={`${permissions.data?.length ?? 0} permissions in ${all.length === 1 ? "1 group" : `${all.length} groups`}`}
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
      <div className="mb-3 flex flex-wrap items-center gap-x-5 gap-y-2">
        <input
          aria-label="Find a permission"
          placeholder="Find a permission by any word of its title or sentence"
          value={q}
          onChange={(e) => setQ(e.target.value)}
          className={`${inputLook} max-w-lg flex-1`}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={retired}
            onChange={(e) => setRetired(e.target.checked)}
            className="size-4 accent-damson"
          />{" "}
          Show what is retired
        </label>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={!!asked.undecided}
            onChange={(e) => navigate({ to: "/catalogue", search: { undecided: e.target.checked || undefined } })}
            className="size-4 accent-damson"
          />{" "}
          Only what is undecided
        </label>
      </div>
      <Wrong error={groups.error ?? permissions.error} />
      {permissions.isPending && <Loading />}
      {permissions.data?.length === 0 &&
        (search ? (
          <Empty>Nothing in the catalogue fits. Try fewer letters, or another word.</Empty>
        ) : (
          <Empty>The catalogue is empty. Import a starter set to begin, or add a group and a permission.</Empty>
        ))}
      {asked.undecided && permissions.data && byGroup.size === 0 && (
        <Empty>Every template has decided everything in the catalogue.</Empty>
      )}
      <div className="sheet overflow-x-auto">
        <table className="w-full">
          <thead className="bg-inset text-left text-sm text-faded">
            <tr>
              <th className="px-3 py-1.5 font-[600]">May</th>
              <th className="px-2 font-[600]">Scale</th>
              <th className="px-2 font-[600]">Applies to</th>
              <th className="px-2 font-[600]">Given by</th>
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
                  <tr className="border-t border-rule bg-inset/60">
                    <th
                      colSpan={4}
                      scope="rowgroup"
                      className="py-1 text-left font-[650]"
                      style={{ paddingLeft: `${0.75 + g.depth * 1.2}rem` }}
                    >
                      {g.title} <span className="text-sm font-normal text-faded">{g.key}</span>
                      {g.retired && <b className="ml-2 text-sm text-shut">retired</b>}
                    </th>
                    <td className="pr-2 text-right whitespace-nowrap">
                      {edits && !g.console && (
                        <>
                          <Button
                            look="quiet"
                            className="min-h-0 px-1 text-sm"
                            aria-label={`Change the group ${g.title}`}
                            onClick={() => setEditing(g)}
                          >
                            Change
                          </Button>
                          <Button
                            look="quiet"
                            className="min-h-0 px-1 text-sm"
                            aria-label={`${g.retired ? "Bring back" : "Retire"} the group ${g.title}`}
                            onClick={() => act(g, "group")}
                          >
                            {g.retired ? "Bring back" : "Retire"}
                          </Button>
                        </>
                      )}
                    </td>
                  </tr>
                  {byGroup.get(g.key)?.map((p) => (
                    <tr key={p.key} className={`border-t border-rule ${p.retired ? "text-faded" : ""}`}>
                      <td className="py-1 pr-2" style={{ paddingLeft: `${0.75 + (g.depth + 1) * 1.2}rem` }}>
                        {p.title} <span className="text-sm text-faded">{p.key}</span>
                        {p.sensitive && <b className="ml-2 text-sm font-[600] text-soon">sensitive</b>}
                        {p.retired && <b className="ml-2 text-sm text-shut">retired</b>}
                        <span className="block text-sm text-faded">{p.sentence}</span>
                      </td>
                      <td className="px-2 py-1 text-[0.95rem]">
                        {scaleWords(p.scale)}
                        {p.reach && <span className="block text-sm text-faded">says whose records</span>}
                      </td>
                      <td className="px-2 py-1 text-[0.95rem]">
                        {p.kinds.length === 5 ? "Any place" : p.kinds.map((k) => kindWord[k]).join(", ")}
                      </td>
                      <td className="px-2 py-1 text-[0.95rem] whitespace-nowrap">
                        <button
                          type="button"
                          className="text-left text-damson underline underline-offset-2"
                          onClick={() => shows(p.key)}
                        >
                          {p.given === 1 ? "1 template" : `${p.given} templates`}
                          {p.undecided > 0 && <b className="block text-sm text-soon">undecided in {p.undecided}</b>}
                          <span className="sr-only">: {p.title}</span>
                        </button>
                      </td>
                      <td className="py-1 pr-2 text-right whitespace-nowrap">
                        {sees && (
                          <Button
                            look="quiet"
                            className="min-h-0 px-1 text-sm"
                            aria-label={`Who has it: ${p.title}`}
                            onClick={() => setHolders(p)}
                          >
                            Who has it
                          </Button>
                        )}
                        {edits && (
                          <>
                            <Button
                              look="quiet"
                              className="min-h-0 px-1 text-sm"
                              aria-label={`Change ${p.title}`}
                              onClick={() => setEditing(p)}
                            >
                              Change
                            </Button>
                            {!p.console && (
                              <Button
                                look="quiet"
                                className="min-h-0 px-1 text-sm"
                                aria-label={`${p.retired ? "Bring back" : "Retire"} ${p.title}`}
                                onClick={() => act(p, "permission")}
                              >
                                {p.retired ? "Bring back" : "Retire"}
                              </Button>
                            )}
                          </>
                        )}
                      </td>
                    </tr>
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
        about={["holders", permission.key]}
        read={(how) => take(api.GET("/permissions/{id}/people", { params: { ...path, query: how } }))}
        from={`/permissions/${encodeURIComponent(permission.key)}/people`}
        columns={[
          { title: "Where", of: (h) => h.place.name },
          { title: "Through", of: (h) => h.through },
        ]}
        scale={permission.scale}
        empty="Nobody. Decide it in a template, or add it for one person by an exception."
        said={(n) => (n === 1 ? "1 holding, now or later." : `${n} holdings, now or later.`)}
        className="max-h-[50vh]"
      />
      <Button className="mt-4" onClick={close}>
        Close
      </Button>
    </Ask>
  );
}

function scaleWords(s: Schema["Scale"]): string {
  if (s.kind === "levels") return s.levels!.join(" < ");
  if (s.kind === "limit") return `limit in ${s.unit}${s.most ? `, at most ${s.most}` : ""}`;
  return "yes or no";
}

const isPermission = (of: unknown): of is Permission => typeof of === "object" && of !== null && "scale" in of;

function EditDialog({
  of,
  groups,
  close,
  go,
}: {
  of: Permission | Group | "permission" | "group";
  groups: Group[];
  close: () => void;
  go: (ready: { title: string; about: string; button: string; operations: Operation[] }) => void;
}) {
  const permission = of === "permission" || isPermission(of);
  const old = typeof of === "string" ? undefined : of;
  const p = isPermission(of) ? of : undefined;
  const [form, setForm] = useState({
    key: old?.key ?? "",
    title: old?.title ?? "",
    sentence: p?.sentence ?? "",
    group: p?.group ?? (old && "parent" in old ? (old.parent ?? "") : ""),
    scale: p?.scale.kind ?? "switch",
    levels: p?.scale.levels?.join(", ") ?? "none, view, full",
    unit: p?.scale.unit ?? "",
    most: p?.scale.most ? String(p.scale.most) : "",
    kinds: new Set<string>(p?.kinds ?? ["work_centre"]),
    sensitive: p?.sensitive ?? false,
  });
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  const fixed = p?.console;
  const submit = () => {
    const scale = {
      kind: form.scale,
      ...(form.scale === "levels" && {
        levels: form.levels
          .split(",")
          .map((l) => l.trim())
          .filter(Boolean),
      }),
      ...(form.scale === "limit" && { unit: form.unit, ...(form.most && { most: Number(form.most) }) }),
    };
    const set = permission
      ? {
          title: form.title,
          sentence: form.sentence,
          ...(!fixed && { group: form.group, scale, kinds: Object.keys(kindWord).filter((k) => form.kinds.has(k)) }),
          sensitive: form.sensitive,
        }
      : { title: form.title, parent: form.group };
    const kind = permission ? "permission" : "group";
    go({
      title: old ? `Change ${old.title}` : `Add ${form.title}`,
      about: old
        ? "Whoever has it by a template or an exception is concerned."
        : "Nobody has it until a template decides it; each template shows it as undecided until then.",
      button: old ? "Make the change" : permission ? "Add the permission" : "Add the group",
      operations: [
        old ? { op: `${kind}.edit`, on: old.key, set } : { op: `${kind}.add`, set: { key: form.key, ...set } },
      ],
    });
  };
  return (
    <Ask
      open
      onOpenChange={close}
      title={old ? `Change ${old.title}` : permission ? "Add a permission" : "Add a group"}
      about={
        fixed
          ? "It belongs to this product itself: its wording may change, the rest stays."
          : permission
            ? "One thing somebody may do, said positively."
            : "A heading for permissions, and for other groups."
      }
    >
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          submit();
        }}
      >
        <TextField
          label="Title"
          required
          autoFocus
          className={old ? "col-span-2" : ""}
          value={form.title}
          onChange={put("title")}
          placeholder={permission ? "Clear a jam" : "Lines"}
        />
        {!old && (
          <TextField
            label="Key"
            required
            value={form.key}
            onChange={put("key")}
            placeholder={permission ? "line.jam" : "line"}
            hint="Lower case, with dots. It stays."
          />
        )}
        {permission && (
          <TextField
            label="Sentence"
            required
            className="col-span-2"
            value={form.sentence}
            onChange={put("sentence")}
            placeholder="Takes a jam out of a stopped line."
          />
        )}
        {!fixed && (
          <Combobox
            label={permission ? "Group" : "Stands in"}
            required={permission}
            className="col-span-2"
            value={form.group}
            onChange={put("group")}
            placeholder={permission ? "Choose a group" : "The top"}
            options={groupOptions(groups.filter((g) => g.key !== old?.key))}
          />
        )}
        {permission && !fixed && (
          <>
            <SelectField label="Scale" value={form.scale} onChange={put("scale")}>
              <option value="switch">Yes or no</option>
              <option value="levels">Levels in order</option>
              <option value="limit">A limit with a unit</option>
            </SelectField>
            {form.scale === "levels" && (
              <TextField
                label="Levels, the lowest first"
                required
                value={form.levels}
                onChange={put("levels")}
                hint="The first means none."
              />
            )}
            {form.scale === "limit" && (
              <div className="grid grid-cols-2 gap-2">
                <TextField label="Unit" required value={form.unit} onChange={put("unit")} placeholder="kg" />
                <TextField label="At most" optional type="number" min={1} value={form.most} onChange={put("most")} />
              </div>
            )}
            <fieldset className="col-span-2">
              <legend className="mb-1 text-sm font-[600]">Applies to</legend>
              <div className="flex flex-wrap gap-x-4 gap-y-1">
                {Object.entries(kindWord).map(([k, w]) => (
                  <label key={k} className="flex items-center gap-1.5">
                    <input
                      type="checkbox"
                      className="size-4 accent-damson"
                      checked={form.kinds.has(k)}
                      onChange={() => {
                        const kinds = new Set(form.kinds);
                        if (!kinds.delete(k)) kinds.add(k);
                        setForm({ ...form, kinds });
                      }}
                    />
                    {w}
                  </label>
                ))}
              </div>
            </fieldset>
          </>
        )}
        {permission && (
          <label className="col-span-2 flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-damson"
              checked={form.sensitive}
              onChange={(e) => setForm({ ...form, sensitive: e.target.checked })}
            />
            Sensitive: giving it asks for a reason
          </label>
        )}
        <div className="col-span-2 flex gap-2">
          <Button type="submit" look="main">
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
