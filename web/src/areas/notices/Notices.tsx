import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { RuleTabs } from "@/areas/templates/tabs";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Combobox, type Option } from "@/parts/Combobox";
import { ChangeDialog } from "@/parts/change";
import { placeOptions, templateOptions, usePlaces, useTemplates } from "@/parts/choices";
import { Choice, Field, inputLook, SearchBox, TextField } from "@/parts/fields";
import { Listed, Unread } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Page, Section } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { moment } from "@/parts/words";
import { useFilters } from "@/search";

type Notice = Schema["Notice"];

/** Texts that people read and accept: site rules, terms. */
export function Notices() {
  const may = useMay();
  const [adding, setAdding] = useState(false);
  const list = useQuery({
    ...read("/notices", { query: { limit: 500, retired: "all" } }),
  });
  return (
    <Page
      title="Notices"
      lead="Texts that people read and accept at a shared terminal. Until then, where set, they may not do the work."
      acts={
        <>
          {may("console.view_staff") && (
            <TakeAlong from="/acceptances" file="acceptances.csv">
              Who accepted what, as CSV
            </TakeAlong>
          )}
          {may("console.edit_places") && (
            <Button look="main" onClick={() => setAdding(true)}>
              Publish a notice
            </Button>
          )}
        </>
      }
    >
      <RuleTabs />
      <Listed of={list} empty={<>None yet. Publish one, such as the rules of a site, for those who work there.</>}>
        {(data) => (
          <div className="overflow-x-auto">
            <table className="w-full">
              <thead>
                <tr className="text-left text-sm text-faded">
                  <th className="py-1 font-semibold">Notice</th>
                  <th className="font-semibold">For</th>
                  <th className="font-semibold">Until accepted</th>
                  <th className="text-right font-semibold">Accepted</th>
                </tr>
              </thead>
              <tbody>
                {data.items.map((n) => (
                  <tr key={n.code} className={`border-t border-rule align-top ${n.retired ? "text-faded" : ""}`}>
                    <td className="py-2 pr-4">
                      <Link to="/notices/$code" params={{ code: n.code }} className="font-semibold hover:underline">
                        {n.title}
                      </Link>
                      {n.retired && " · retired"}
                      <span className="block text-sm text-faded">
                        {n.code} · version {n.version} of {moment(n.since)}
                      </span>
                    </td>
                    <td className="py-2 pr-4">{forWhom(n)}</td>
                    <td className="py-2 pr-4">{n.refuses ? "work is refused" : "is reminded"}</td>
                    <td className="py-2 text-right tabular-nums">
                      {n.accepted} of {n.meant}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Listed>
      {adding && <NoticeDialog close={() => setAdding(false)} />}
    </Page>
  );
}

function forWhom(n: Notice): string {
  const all = [...n.places.map((p) => p.name), ...n.templates.map((t) => t.name)];
  return all.length ? all.join(", ") : "everybody";
}

/** Several of a list: those that are chosen, each to be taken off, and one more. */
/** Chooses several: each is added by its name, and taken off by itself. */
function Several({
  label,
  chosen,
  onChange,
  options = [],
}: {
  label: string;
  chosen: string[];
  onChange: (codes: string[]) => void;
  options: Option[] | undefined;
}) {
  const name = (code: string) => options.find((o) => o.value === code)?.label ?? code;
  return (
    <div className="space-y-1">
      <Combobox
        label={label}
        optional
        value=""
        placeholder="Add one"
        options={options.filter((o) => !chosen.includes(o.value))}
        onChange={(e) => e.target.value && onChange([...chosen, e.target.value])}
      />
      <ul className="flex flex-wrap gap-1">
        {chosen.map((code) => (
          <li key={code}>
            <button
              type="button"
              aria-label={`Take ${name(code)} off`}
              className="rounded-sm border border-edge bg-inset px-2 py-0.5 text-sm"
              onClick={() => onChange(chosen.filter((c) => c !== code))}
            >
              {name(code)} ×
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function NoticeDialog({ of: n, close }: { of?: Notice; close: () => void }) {
  const places = usePlaces();
  const templates = useTemplates();
  const [form, setForm] = useState({
    code: n?.code ?? "",
    title: n?.title ?? "",
    text: n?.text ?? "",
    places: n?.places.map((p) => p.code) ?? [],
    templates: n?.templates.map((t) => t.code) ?? [],
    refuses: n?.refuses ?? false,
  });
  const [ready, setReady] = useState<Operation[]>();
  if (ready) {
    return (
      <ChangeDialog
        title={n ? `Change ${n.title}` : `Publish ${form.title}`}
        about={form.refuses ? "Whoever has not accepted it may not do that work." : "Nobody gains or loses by it."}
        operations={ready}
        button={n ? "Change the notice" : "Publish the notice"}
        close={close}
      />
    );
  }
  const { code, text, ...rest } = form;
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={n ? `Change ${n.title}` : "Publish a notice"}
      about={n ? "Its text stays once somebody has accepted it; publish a new version then." : "A text to be accepted."}
    >
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([
            n
              ? { op: "notice.edit", on: n.code, set: { ...rest, ...(text !== n.text && { text }) } }
              : { op: "notice.add", set: form },
          ]);
        }}
      >
        <TextField
          label="Title"
          required
          maxLength={120}
          value={form.title}
          onChange={(e) => setForm({ ...form, title: e.target.value })}
        />
        <TextField
          label="Code"
          required
          disabled={!!n}
          maxLength={32}
          value={form.code}
          hint="Such as SITE-RULES"
          onChange={(e) => setForm({ ...form, code: e.target.value })}
        />
        <TextArea value={form.text} onChange={(t) => setForm({ ...form, text: t })} />
        <Several
          label="For those who work at"
          chosen={form.places}
          onChange={(codes) => setForm({ ...form, places: codes })}
          options={placeOptions(places.data)}
        />
        <Several
          label="For those who work as"
          chosen={form.templates}
          onChange={(codes) => setForm({ ...form, templates: codes })}
          options={templateOptions(templates.data?.items)}
        />
        <label className="col-span-2 flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-1 size-4 accent-damson"
            checked={form.refuses}
            onChange={(e) => setForm({ ...form, refuses: e.target.checked })}
          />
          <span>
            Until they accept it, they may do nothing there, or by that work
            <span className="block text-sm text-faded">
              Doors refuse too: choose places that lie behind the terminal.
            </span>
          </span>
        </label>
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

function TextArea({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <Field label="Text" className="col-span-2">
      {(tie) => (
        <textarea
          {...tie}
          required
          rows={8}
          maxLength={20000}
          className={inputLook}
          value={value}
          onChange={(e) => onChange(e.target.value)}
        />
      )}
    </Field>
  );
}

function PublishDialog({ of: n, close }: { of: Notice; close: () => void }) {
  const [text, setText] = useState(n.text);
  const [ready, setReady] = useState(false);
  if (ready) {
    return (
      <ChangeDialog
        title={`Publish version ${n.version + 1} of ${n.title}`}
        about="Everybody whom it is for reads and accepts it again. The versions before stay on record."
        operations={[{ op: "notice.publish", on: n.code, set: { text } }]}
        button="Publish the new version"
        draftable={false}
        close={close}
      />
    );
  }
  return (
    <Ask open wide onOpenChange={close} title={`A new version of ${n.title}`} about={`Version ${n.version + 1}.`}>
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setReady(true);
        }}
      >
        <TextArea value={text} onChange={setText} />
        <div className="col-span-2 flex gap-2">
          <Button type="submit" look="main" disabled={text.trim() === n.text}>
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

/** One notice: its text, whom it is for, and who has accepted it. */
export function NoticePage() {
  const { code } = useParams({ strict: false }) as { code: string };
  const [search, put] = useFilters("/notices/$code");
  const may = useMay();
  const [dialog, setDialog] = useState<"edit" | "publish" | "retire">();
  const [recording, setRecording] = useState<Schema["NoticePerson"]>();
  const one = useQuery({
    ...read("/notices/{id}", { path: { id: code } }),
  });
  const query = { notice: code, ...(search.state && { state: search.state }), ...(search.q && { q: search.q }) };
  const people = useQuery({
    ...read("/acceptances", { query: { ...query, limit: 500 } }),
    enabled: may("console.view_staff"),
  });
  if (!one.data) return <Unread of={one} />;
  const n = one.data;
  return (
    <Page
      title={n.title}
      lead={`${n.code} · version ${n.version} of ${moment(n.since)} · for ${forWhom(n)}${n.retired ? " · retired" : ""}`}
      acts={
        n.yours && (
          <>
            {!n.retired && <Button onClick={() => setDialog("edit")}>Change</Button>}
            {!n.retired && <Button onClick={() => setDialog("publish")}>New version</Button>}
            <Button onClick={() => setDialog("retire")}>{n.retired ? "Bring back" : "Retire"}</Button>
          </>
        )
      }
    >
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-10 lg:grid-cols-[minmax(0,1fr)_26rem]">
        <Section title="Text" note={n.refuses ? "Work is refused until it is accepted" : undefined}>
          <div className="sentence whitespace-pre-line">{n.text}</div>
          {n.past.length > 0 && (
            <details className="mt-4">
              <summary className="cursor-pointer text-damson">Versions before</summary>
              {n.past.map((p) => (
                <div key={p.version} className="mt-3 border-l-2 border-rule pl-3">
                  <p className="text-sm text-faded">
                    Version {p.version} of {moment(p.since)}
                  </p>
                  <div className="whitespace-pre-line">{p.text}</div>
                </div>
              ))}
            </details>
          )}
        </Section>
        {may("console.view_staff") && (
          <Section title="Who has accepted it" note={`${n.accepted} of ${n.meant}`}>
            <div className="mb-2 grid grid-cols-2 gap-2">
              <SearchBox label="Search people" hint="Name or number" value={search.q} onChange={(q) => put({ q })} />
              <Choice label="State" value={search.state} onChange={(state) => put({ state })}>
                <option value="">All</option>
                <option value="waiting">Not yet</option>
                <option value="accepted">Accepted</option>
              </Choice>
            </div>
            <Listed of={people}>{() => null}</Listed>
            {people.data?.items.length === 0 && <p className="text-faded">Nobody fits.</p>}
            <ul className="max-h-[60vh] overflow-auto">
              {people.data?.items.map((p) => (
                <li
                  key={p.staff.staff_number}
                  className="flex items-center justify-between gap-2 border-b border-rule py-1.5"
                >
                  <span>
                    <Link
                      to="/staff/$number"
                      params={{ number: p.staff.staff_number }}
                      className="font-semibold hover:underline"
                    >
                      {p.staff.name}
                    </Link>
                    <span className="block text-sm text-faded">
                      {p.accepted
                        ? `${moment(p.accepted)} · ${{ terminal: "at the terminal", link: "by a link", paper: "on paper" }[p.how ?? "paper"]}${p.place ? `, ${p.place.name}` : ""}`
                        : p.before
                          ? `accepted version ${p.before}`
                          : p.staff.staff_number}
                    </span>
                  </span>
                  {p.accepted ? (
                    <Mark of="active">Accepted</Mark>
                  ) : may("console.edit_staff") ? (
                    <Button look="quiet" className="min-h-0 px-1" onClick={() => setRecording(p)}>
                      On paper
                    </Button>
                  ) : (
                    <Mark of="prepared">Not yet</Mark>
                  )}
                </li>
              ))}
            </ul>
          </Section>
        )}
      </div>
      {dialog === "edit" && <NoticeDialog of={n} close={() => setDialog(undefined)} />}
      {dialog === "publish" && <PublishDialog of={n} close={() => setDialog(undefined)} />}
      {dialog === "retire" && (
        <ChangeDialog
          title={n.retired ? `Bring back ${n.title}` : `Retire ${n.title}`}
          about={n.retired ? "It has to be accepted again." : "Nobody has to accept it any more. It stays on record."}
          operations={[{ op: n.retired ? "notice.restore" : "notice.retire", on: n.code }]}
          button={n.retired ? "Bring it back" : "Retire it"}
          close={() => setDialog(undefined)}
        />
      )}
      {recording && (
        <ChangeDialog
          title={`${recording.staff.name} has accepted ${n.title} on paper`}
          about={`You have the signed paper of version ${n.version}. It stays on record for good.`}
          operations={[{ op: "notice.record", set: { notice: n.code, staff: recording.staff.staff_number } }]}
          button="Put it on record"
          draftable={false}
          close={() => setRecording(undefined)}
        />
      )}
    </Page>
  );
}
