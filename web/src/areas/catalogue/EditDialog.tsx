import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { groupOptions } from "@/parts/choices";
import { SelectField, TextField } from "@/parts/fields";
import { kindWord } from "@/parts/words";

type Permission = Schema["Permission"];
type Group = Schema["Group"];
type Of = Permission | Group | "permission" | "group";

const isPermission = (of: unknown): of is Permission => typeof of === "object" && of !== null && "scale" in of;

function firstOf(of: Of) {
  const old = typeof of === "string" ? undefined : of;
  const p = isPermission(of) ? of : undefined;
  return {
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
  };
}
type Form = ReturnType<typeof firstOf>;

/** What is written of what stands in the form. */
function setOf(form: Form, permission: boolean, fixed: boolean) {
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
  return permission
    ? {
        title: form.title,
        sentence: form.sentence,
        ...(!fixed && { group: form.group, scale, kinds: Object.keys(kindWord).filter((k) => form.kinds.has(k)) }),
        sensitive: form.sensitive,
      }
    : { title: form.title, parent: form.group };
}

/** Adds or changes a permission or a group; what comes of it is shown before it is made. */
export function EditDialog({
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
  const [form, setForm] = useState(firstOf(of));
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  const fixed = isPermission(of) && of.console;
  const submit = () => {
    const set = setOf(form, permission, !!fixed);
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
        {permission && !fixed && <ScalePart form={form} setForm={setForm} />}
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

/** On which scale a permission is held, and at which kinds of place. */
function ScalePart({ form, setForm }: { form: Form; setForm: (form: Form) => void }) {
  const put = (name: keyof Form) => (e: { target: { value: string } }) => setForm({ ...form, [name]: e.target.value });
  return (
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
        <legend className="mb-1 text-sm font-semibold">Applies to</legend>
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
  );
}
