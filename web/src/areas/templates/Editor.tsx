import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { read } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Button, buttonLook } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { ChangeDialog } from "@/parts/change";
import { groupOptions, holdsOthers, placeOptions, templateOptions, usePlaces, useTemplates } from "@/parts/choices";
import { collect } from "@/parts/drafts";
import { SearchBox, SelectField, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Section } from "@/parts/Page";
import { RequiresField } from "@/parts/qualifications";
import { type Access, AccessField, sameAccess } from "@/parts/rules";
import { Timeline } from "@/parts/Timeline";
import { Wrong } from "@/parts/Wrong";
import { howMany } from "@/parts/words";
import { MakeDialog } from "./MakeDialog";
import { Tree } from "./Tree";

type Template = Schema["Template"];

/** One template: who it is for, and the tree of what it gives. Edits go into the draft. */
export function Editor({ code, edits: mayEdit }: { code: string; edits: boolean }) {
  const navigate = useNavigate();
  const list = useTemplates();
  const [q, setQ] = useState("");
  const [undecided, setUndecided] = useState(false);
  const [dialog, setDialog] = useState<"facts" | "copy" | "section" | "retire" | "restore">();
  const search = useDeferredValue(q.trim());
  const t = useQuery({
    ...read("/templates/{id}", { path: { id: code }, query: { draft: "open" } }),
  });
  const outline = useQuery({
    ...read("/templates/{id}/outline", {
      path: { id: code },
      query: { draft: "open", ...(search && { q: search }), ...(undecided && { undecided }) },
    }),
    placeholderData: keepPreviousData,
  });
  const put = useMutation({ mutationFn: (operations: Operation[]) => collect(operations) });
  if (!t.data) return <Listed of={t}>{() => null}</Listed>;
  const edits = mayEdit && !t.data.fixed && !t.data.retired;
  const others = list.data?.items.filter((o) => o.code !== code) ?? [];
  const basedOnIt = others.filter((o) => o.base === code);
  const base = others.find((o) => o.code === t.data.base);
  return (
    <div className="min-w-0 space-y-4">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <About template={t.data} base={base} basedOnIt={basedOnIt} />
        <div className="flex flex-wrap gap-2">
          <Link to="/compare" search={{ templates: code }} className={buttonLook()}>
            Compare
          </Link>
          {mayEdit && <Button onClick={() => setDialog("copy")}>Copy</Button>}
          {mayEdit && t.data.retired && (
            <Button look="main" onClick={() => setDialog("restore")}>
              Bring it back
            </Button>
          )}
          {edits && (
            <>
              <Button onClick={() => setDialog("facts")}>Name and base</Button>
              <Button onClick={() => setDialog("section")}>Copy a section</Button>
              <Button look="grave" onClick={() => setDialog("retire")}>
                Retire
              </Button>
            </>
          )}
        </div>
      </div>
      {t.data.retired && (
        <p className="font-semibold text-shut">It is retired: nobody can be given it, and nothing in it counts.</p>
      )}
      {mayEdit && !t.data.retired && t.data.fixed && (
        <p className="rounded-sm border border-rule bg-inset px-4 py-2.5">
          You have this template, or one based on it, and nobody changes their own access. Another manager or an owner
          may.
        </p>
      )}
      {t.data.undecided > 0 && (
        <div className="flex flex-wrap items-center justify-between gap-2 rounded-sm border border-soon bg-soon-wash px-4 py-2.5">
          <span>
            <b>{howMany(t.data.undecided, "permission waits", "permissions wait")} for a decision.</b> Until then nobody
            has {t.data.undecided === 1 ? "it" : "them"} by this template.
          </span>
          <span className="flex gap-2">
            <Button aria-pressed={undecided} onClick={() => setUndecided(!undecided)}>
              {undecided ? "Show everything" : "Show only these"}
            </Button>
            {edits && (
              <Button onClick={() => put.mutate([{ op: "template.edit", on: code, set: { decide_rest: true } }])}>
                Decide: not given
              </Button>
            )}
          </span>
        </div>
      )}
      <Section
        title={`Gives ${t.data.given} permissions`}
        note={edits ? "Edits are collected in your draft" : "You may look, not change"}
      >
        <div className="mb-2">
          <SearchBox label="Find a permission" hint="By any word" value={q} onChange={(q) => setQ(q ?? "")} />
        </div>
        <Wrong error={put.error} />
        <Listed of={outline}>
          {(data) => (
            <Tree
              lines={data.items}
              edits={edits}
              decide={(settings) => put.mutate([{ op: "template.edit", on: code, set: { decide: settings } }])}
              give={(settings) => put.mutate([{ op: "template.edit", on: code, set: { decide_giving: settings } }])}
            />
          )}
        </Listed>
      </Section>
      <TemplateHours code={code} />
      {dialog === "facts" && <FactsDialog template={t.data} others={others} close={() => setDialog(undefined)} />}
      {dialog === "copy" && (
        <MakeDialog
          templates={list.data?.items ?? []}
          copyOf={code}
          close={() => setDialog(undefined)}
          made={(made) => navigate({ to: "/templates/$code", params: { code: made } })}
        />
      )}
      {dialog === "section" && (
        <SectionDialog
          template={t.data}
          others={others}
          lines={outline.data?.items ?? []}
          close={() => setDialog(undefined)}
        />
      )}
      {dialog === "restore" && (
        <ChangeDialog
          title={`Bring back ${t.data.name}`}
          about="It can be given again. Nobody has it until somebody is assigned with it."
          operations={[{ op: "template.restore", on: code }]}
          button="Bring it back"
          close={() => setDialog(undefined)}
        />
      )}
      {dialog === "retire" && <RetireDialog template={t.data} others={others} close={() => setDialog(undefined)} />}
    </div>
  );
}

/** What a template is, what it rests on, and who has it. */
function About({
  template: t,
  base,
  basedOnIt,
}: {
  template: Template;
  base: Template | undefined;
  basedOnIt: Template[];
}) {
  return (
    <div className="max-w-xl">
      <h2 className="text-2xl">{t.name}</h2>
      <p className="sentence">
        {t.summary} Access hours: {t.hours_words}
        {base && (
          <>
            , based on{" "}
            <Link
              to="/templates/$code"
              params={{ code: base.code }}
              className="text-damson underline underline-offset-2"
            >
              {base.name}
            </Link>
          </>
        )}
        .{t.requires_words && ` Requires a valid certificate: ${t.requires_words}.`}
      </p>
      <p className="text-faded">
        <Link to="/grid" search={{ template: t.code }} className="underline underline-offset-2">
          {t.assignments} assignments
        </Link>
        {" · "}
        <Link to="/exceptions" search={{ template: t.code }} className="underline underline-offset-2">
          {t.exceptions} exceptions differ from it
        </Link>
        {" · "}
        <Link to="/local-settings" search={{ template: t.code }} className="underline underline-offset-2">
          {howMany(t.local_settings, "local setting", "local settings")}
        </Link>
        {basedOnIt.length > 0 && <> · {basedOnIt.map((b) => b.name).join(", ")} based on it</>}
      </p>
    </div>
  );
}

/** When a template lets people in, at a site: hours follow the opening hours and the time zone there. */
function TemplateHours({ code }: { code: string }) {
  const places = usePlaces();
  const [site, setSite] = useState<string>();
  const place = site ?? places.data?.find((p) => p.kind === "site")?.code;
  if (!place) return null;
  return (
    <div className="space-y-3">
      <Combobox
        label="Hours at"
        className="max-w-xs"
        value={place}
        onChange={(e) => setSite(e.target.value)}
        options={placeOptions(places.data?.filter((p) => holdsOthers(p.kind)))}
      />
      <Timeline
        facts={(asked) => read("/templates/{id}/timeline", { path: { id: code }, query: { ...asked, place } })}
      />
    </div>
  );
}

type DialogProps = { template: Template; others: Template[]; close: () => void };

function FactsDialog({ template, others, close }: DialogProps) {
  const first = {
    name: template.name,
    summary: template.summary ?? "",
    base: template.base ?? "",
    days: String(template.days ?? 0),
    idle_seconds: String(template.idle_seconds ?? 0),
    needs: template.needs.join(","),
    requires: template.requires.map((q) => q.code).join(","),
  };
  const [form, setForm] = useState(first);
  const [access, setAccess] = useState<Access>(template.hours);
  const [ready, setReady] = useState<Operation[]>();
  if (ready) {
    return (
      <ChangeDialog
        title={`Change ${template.name}`}
        about="This affects everybody who has it."
        operations={ready}
        button="Change the template"
        close={close}
      />
    );
  }
  const changed = Object.entries(form).filter(([k, v]) => v !== first[k as keyof typeof first]);
  const set = Object.fromEntries(
    changed.map(([k, v]) => [
      k,
      k === "days" || k === "idle_seconds"
        ? Number(v)
        : k === "needs" || k === "requires"
          ? v.split(",").filter(Boolean)
          : v,
    ]),
  );
  const hours = sameAccess(access, template.hours) ? {} : { hours: access };
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  return (
    <Ask open wide onOpenChange={close} title={`Change ${template.name}`} about={`Code ${template.code}, which stays.`}>
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([{ op: "template.edit", on: template.code, set: { ...set, ...hours } }]);
        }}
      >
        <TextField label="Name" required className="col-span-2" value={form.name} onChange={put("name")} />
        <TextField
          label="Who it is for"
          optional
          className="col-span-2"
          value={form.summary}
          onChange={put("summary")}
        />
        <Combobox
          label="Based on"
          className="col-span-2"
          value={form.base}
          onChange={put("base")}
          hint="What it does not set itself comes from there."
          placeholder="No other"
          options={templateOptions(others)}
        />
        <TextField
          label="Lasts, in days"
          type="number"
          min={0}
          max={3660}
          value={form.days}
          onChange={put("days")}
          hint={form.base ? "0: as its base" : "0: open"}
        />
        <TextField
          label="Idle sign-out, in seconds"
          type="number"
          min={0}
          max={86400}
          value={form.idle_seconds}
          onChange={put("idle_seconds")}
          hint={form.base ? "0: as its base" : "0: as the terminal has it"}
        />
        <SelectField label="Needs" className="col-span-2" value={form.needs} onChange={put("needs")}>
          <option value="">{form.base ? "What its base needs" : "Nothing in particular"}</option>
          <option value="pin">A PIN</option>
          <option value="badge">A badge</option>
          <option value="badge,pin">A badge and a PIN</option>
          {form.needs === "pin,badge" && <option value="pin,badge">A PIN and a badge</option>}
        </SelectField>
        <AccessField
          value={access}
          onChange={setAccess}
          inherit={form.base ? "As its base" : "The opening hours of the place"}
        />
        <RequiresField
          value={form.requires.split(",").filter(Boolean)}
          onChange={(codes) => setForm({ ...form, requires: codes.sort().join(",") })}
          hint={form.base ? "None: those of its base." : undefined}
        />
        <div className="col-span-2 flex gap-2">
          <Button type="submit" look="main" disabled={!changed.length && !("hours" in hours)}>
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

function SectionDialog({ template, others, lines, close }: DialogProps & { lines: Schema["OutlineLine"][] }) {
  const groups = lines.filter((l) => l.kind === "group");
  const [from, setFrom] = useState(others[0]?.code ?? "");
  const [group, setGroup] = useState(groups[0]?.key ?? "");
  const [ready, setReady] = useState<Operation[]>();
  if (ready) {
    return (
      <ChangeDialog
        title="Copy a section"
        about={`Into ${template.name}.`}
        operations={ready}
        button="Copy the section"
        close={close}
      />
    );
  }
  return (
    <Ask
      open
      onOpenChange={close}
      title="Copy a section"
      about={`${template.name} takes over what another template says in one group.`}
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([{ op: "template.edit", on: template.code, set: { section: { from, group } } }]);
        }}
      >
        <Combobox
          label="From"
          value={from}
          onChange={(e) => setFrom(e.target.value)}
          options={templateOptions(others)}
        />
        <Combobox
          label="Section"
          value={group}
          onChange={(e) => setGroup(e.target.value)}
          options={groupOptions(groups)}
        />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={!from || !group}>
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

function RetireDialog({ template, others, close }: DialogProps) {
  const [what, setWhat] = useState<"replace" | "end">("replace");
  const [next, setNext] = useState("");
  const [ready, setReady] = useState<Operation[]>();
  if (ready) {
    return (
      <ChangeDialog
        title={`Retire ${template.name}`}
        about="From then on nobody can be given it. It stays on record and can be brought back."
        operations={ready}
        button="Retire the template"
        grave
        close={close}
      />
    );
  }
  const used = template.assignments > 0;
  return (
    <Ask
      open
      onOpenChange={close}
      title={`Retire ${template.name}`}
      about={
        used
          ? `${howMany(template.assignments, "assignment uses", "assignments use")} it. Say what happens to them.`
          : "Nobody has it."
      }
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([
            {
              op: "template.retire",
              on: template.code,
              set: !used ? {} : what === "end" ? { end_assignments: true } : { replace_with: next },
            },
          ]);
        }}
      >
        {used && (
          <fieldset className="space-y-2">
            <legend className="mb-1 text-sm font-semibold">Those who have it</legend>
            <label className="flex items-center gap-2">
              <input
                type="radio"
                name="what"
                checked={what === "replace"}
                onChange={() => setWhat("replace")}
                className="size-4 accent-damson"
              />
              go on with another template, same places and dates
            </label>
            {what === "replace" && (
              <Combobox
                label="Which"
                required
                value={next}
                onChange={(e) => setNext(e.target.value)}
                placeholder="Choose a template"
                options={templateOptions(others, { giving: true })}
              />
            )}
            <label className="flex items-center gap-2">
              <input
                type="radio"
                name="what"
                checked={what === "end"}
                onChange={() => setWhat("end")}
                className="size-4 accent-damson"
              />
              lose it: their assignments end
            </label>
          </fieldset>
        )}
        <div className="flex gap-2">
          <Button type="submit" look="main">
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
