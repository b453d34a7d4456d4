import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { type Operation, Refusal, type Schema } from "@/api/api";
import { preview, read } from "@/api/read";
import { useMe } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { ChangeDialog, Reasoned } from "@/parts/change";
import { SelectField, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { people } from "@/parts/words";
import { SettingsTabs } from "./tabs";

type OwnField = Schema["RecordField"];

const kinds: Record<OwnField["kind"], string> = { text: "Text", number: "Number", date: "Date", choice: "Choice" };
const seen: Record<OwnField["seen_by"], string> = {
  viewers: "Whoever sees the record",
  editors: "Whoever may change the record",
  owners: "Owners",
};

/** The fields of people's records that are of the organisation's own making. */
export function Fields() {
  const me = useMe();
  const list = useQuery(read("/fields", { query: { retired: "all", limit: 30 } }));
  const [editing, setEditing] = useState<OwnField | "new">();
  const [retiring, setRetiring] = useState<OwnField>();
  return (
    <Page
      title="Record fields"
      lead="What people's records hold besides the fields that every record has"
      acts={
        <>
          <TakeAlong from="/fields" query={{ retired: "all" }} file="fields.csv" />
          {me.owner && (
            <Button look="main" onClick={() => setEditing("new")}>
              Add a field
            </Button>
          )}
        </>
      }
    >
      <SettingsTabs />
      <Listed
        of={list}
        empty={
          <>
            None yet.{" "}
            {me.owner
              ? "Add one, such as a shoe size or a locker number: it then stands in every record, in exports and in files to bring in."
              : "An owner adds them, such as a shoe size or a locker number."}
          </>
        }
      >
        {(data) => (
          <div className="sheet overflow-x-auto">
            <table className="w-full text-left">
              <thead className="border-b border-edge bg-inset text-sm">
                <tr>
                  {["Name", "Key", "Kind", "Required", "Seen by", "Filled in", ""].map((title) => (
                    <th key={title} className="px-3 py-1.5 font-semibold">
                      {title || <span className="sr-only">Acts</span>}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {data.items.map((f) => (
                  <tr key={f.key} className="border-b border-rule last:border-b-0">
                    <td className="px-3 py-2">
                      <span className="font-semibold">{f.name}</span> {f.retired && <Mark of="left">Retired</Mark>}
                      {f.says && <span className="block text-sm text-faded">{f.says}</span>}
                    </td>
                    <td className="px-3 py-2">{f.key}</td>
                    <td className="px-3 py-2">
                      {kinds[f.kind]}
                      {f.choices && <span className="block text-sm text-faded">{f.choices.join(", ")}</span>}
                    </td>
                    <td className="px-3 py-2">{f.required ? "Yes" : "No"}</td>
                    <td className="px-3 py-2">{seen[f.seen_by]}</td>
                    <td className="px-3 py-2">{people(f.filled)}</td>
                    <td className="px-3 py-2">
                      {me.owner && (
                        <span className="flex justify-end gap-2">
                          {!f.retired && <Button onClick={() => setEditing(f)}>Change</Button>}
                          <Button onClick={() => setRetiring(f)}>{f.retired ? "Bring back" : "Retire"}</Button>
                        </span>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Listed>
      {editing && <FieldDialog of={editing === "new" ? undefined : editing} close={() => setEditing(undefined)} />}
      {retiring && (
        <ChangeDialog
          title={`${retiring.retired ? "Bring back" : "Retire"} ${retiring.name}`}
          about={
            retiring.retired
              ? "It stands in records again, with what was written in it."
              : `It is shown and written no longer. What is written in it, for ${people(retiring.filled)}, is kept.`
          }
          operations={[{ op: retiring.retired ? "field.restore" : "field.retire", on: retiring.key }]}
          button={retiring.retired ? "Bring it back" : "Retire it"}
          draftable={false}
          close={() => setRetiring(undefined)}
        />
      )}
    </Page>
  );
}

/** A key made of a name: "Shoe size" is shoe_size. */
const keyOf = (name: string) =>
  name
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[^a-z]+|_+$/g, "")
    .slice(0, 32);

function FieldDialog({ of, close }: { of: OwnField | undefined; close: () => void }) {
  const [form, setForm] = useState({
    name: of?.name ?? "",
    key: of?.key,
    says: of?.says ?? "",
    kind: of?.kind ?? "text",
    choices: of?.choices?.join("\n") ?? "",
    required: of?.required ?? false,
    seen_by: of?.seen_by ?? "viewers",
  });
  const key = form.key ?? keyOf(form.name);
  const set = {
    name: form.name,
    says: form.says,
    required: form.required,
    seen_by: form.seen_by,
    ...(form.kind === "choice" && {
      choices: form.choices
        .split("\n")
        .map((c) => c.trim())
        .filter(Boolean),
    }),
    ...(!of && { key, kind: form.kind }),
  };
  const written: Operation[] =
    form.name.trim() === "" ? [] : [{ op: of ? "field.edit" : "field.define", ...(of && { on: of.key }), set }];
  const operations = JSON.parse(useDeferredValue(JSON.stringify(written))) as Operation[];
  const tried = useQuery({ ...preview(operations), enabled: operations.length > 0 });
  const wrong = tried.error instanceof Refusal ? tried.error : undefined;
  const error = (name: string) => (wrong?.field(name) ? { error: wrong.field(name)! } : {});
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={of ? `Change ${of.name}` : "Add a field to people's records"}
      about="It stands in every record, in exports, and in files that are brought in."
    >
      <div className="mb-4 grid grid-cols-2 gap-3">
        <TextField
          label="Name"
          required
          maxLength={80}
          value={form.name}
          onChange={(e) => setForm({ ...form, name: e.target.value })}
          {...error("name")}
        />
        <TextField
          label="Key"
          required
          disabled={!!of}
          maxLength={32}
          value={key}
          onChange={(e) => setForm({ ...form, key: e.target.value })}
          hint="In files and for programs, as own.key. It stays as it is."
          {...error("key")}
        />
        <SelectField
          label="Kind"
          disabled={!!of}
          value={form.kind}
          onChange={(e) => setForm({ ...form, kind: e.target.value as OwnField["kind"] })}
        >
          {Object.entries(kinds).map(([kind, word]) => (
            <option key={kind} value={kind}>
              {word}
            </option>
          ))}
        </SelectField>
        <SelectField
          label="Seen by"
          value={form.seen_by}
          onChange={(e) => setForm({ ...form, seen_by: e.target.value as OwnField["seen_by"] })}
        >
          {Object.entries(seen).map(([who, word]) => (
            <option key={who} value={who}>
              {word}
            </option>
          ))}
        </SelectField>
        {form.kind === "choice" && (
          <Choices value={form.choices} onChange={(choices) => setForm({ ...form, choices })} />
        )}
        <TextField
          label="What to write in it"
          optional
          className="col-span-2"
          maxLength={200}
          value={form.says}
          onChange={(e) => setForm({ ...form, says: e.target.value })}
          {...error("says")}
        />
        <label className="col-span-2 flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-1 size-4 accent-damson"
            checked={form.required}
            onChange={(e) => setForm({ ...form, required: e.target.checked })}
          />
          <span>
            Required
            <span className="block text-sm text-faded">
              Of whoever is enrolled from now on. Those on record stay as they are until somebody fills it in.
            </span>
          </span>
        </label>
      </div>
      <Reasoned operations={operations} button={of ? "Change it" : "Add it"} draftable={false} close={close} />
    </Ask>
  );
}

function Choices({ value, onChange }: { value: string; onChange: (choices: string) => void }) {
  return (
    <label className="col-span-2">
      <span className="mb-0.5 block text-sm font-semibold">Choices, each on a line of its own</span>
      <textarea
        required
        rows={4}
        value={value}
        onChange={(e) => onChange(e.target.value)}
        className="w-full rounded-sm border border-edge bg-sheet px-2.5 py-1.5"
      />
    </label>
  );
}
