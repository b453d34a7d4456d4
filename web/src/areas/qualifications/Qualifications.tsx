import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMay, useMe } from "@/areas/session/session";
import { RuleTabs } from "@/areas/templates/tabs";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { Choice, SearchBox, TextField } from "@/parts/fields";
import { Listed, Unread } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { SiteChoice } from "@/parts/PlaceChoice";
import {
  type Certificate,
  CertificateChange,
  CertificateMark,
  ScanLink,
  useQualifications,
} from "@/parts/qualifications";
import { TakeAlong } from "@/parts/TakeAlong";
import { day, howMany } from "@/parts/words";
import { useFilters } from "@/search";

type Qualification = Schema["Qualification"];

const monthsWords = (n?: number) => (n ? howMany(n, "month", "months") : "for good");

/** What people may have to be qualified in: what requires it, who holds it, who lacks it. */
export function Qualifications() {
  const me = useMe();
  const edits = me.everywhere.includes("console.edit_templates");
  const list = useQualifications({ retired: true });
  const [adding, setAdding] = useState(false);
  return (
    <Page
      title="Qualifications"
      lead="What people must be certified in for some work. Without it that work is refused, and the rest goes on."
      acts={
        <>
          <TakeAlong from="/certificates" file="certificates.csv">
            All certificates as CSV
          </TakeAlong>
          {edits && (
            <Button look="main" onClick={() => setAdding(true)}>
              Add a qualification
            </Button>
          )}
        </>
      }
    >
      <RuleTabs />
      <Listed
        of={list}
        empty={
          <>
            None is on record.{" "}
            {edits ? "Add one, such as a forklift ticket, and" : "Somebody who edits templates adds one, and"} let a
            template require it.
          </>
        }
      >
        {(data) => (
          <div className="overflow-x-auto">
            <table className="w-full">
              <thead>
                <tr className="text-left text-sm text-faded">
                  <th className="py-1 font-semibold">Qualification</th>
                  <th className="font-semibold">Counts</th>
                  <th className="font-semibold">Required by</th>
                  <th className="pr-4 text-right font-semibold">Hold it</th>
                  <th className="text-right font-semibold">Lack it</th>
                </tr>
              </thead>
              <tbody>
                {data.items.map((q) => (
                  <tr key={q.code} className={`border-t border-rule align-top ${q.retired ? "text-faded" : ""}`}>
                    <td className="py-2 pr-4">
                      <Link
                        to="/qualifications/$code"
                        params={{ code: q.code }}
                        className="font-semibold hover:underline"
                      >
                        {q.name}
                      </Link>
                      {q.retired && " · retired"}
                      <span className="block text-sm text-faded">{q.summary}</span>
                    </td>
                    <td className="py-2 pr-4 whitespace-nowrap">{monthsWords(q.months)}</td>
                    <td className="py-2 pr-4">
                      <RequiredBy of={q} />
                    </td>
                    <td className="py-2 pr-4 text-right tabular-nums">{q.holders}</td>
                    <td className={`py-2 text-right tabular-nums ${q.missing ? "font-bold text-shut" : ""}`}>
                      {q.missing}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Listed>
      {adding && <QualificationDialog close={() => setAdding(false)} />}
    </Page>
  );
}

function RequiredBy({ of: q }: { of: Qualification }) {
  if (!q.templates.length && !q.places.length) return <span className="text-faded">nothing</span>;
  return (
    <>
      {q.templates.map((t) => (
        <Link key={t.code} to="/templates/$code" params={{ code: t.code }} className="mr-2 hover:underline">
          {t.name}
        </Link>
      ))}
      {q.places.map((p) => (
        <Link
          key={p.code}
          to="/estate/$code"
          params={{ code: p.code }}
          className="mr-2 text-sm text-faded hover:underline"
        >
          {p.code}
        </Link>
      ))}
    </>
  );
}

function QualificationDialog({ of: q, close }: { of?: Qualification; close: () => void }) {
  const first = { code: q?.code ?? "", name: q?.name ?? "", summary: q?.summary ?? "", months: String(q?.months ?? 0) };
  const [form, setForm] = useState(first);
  const [ready, setReady] = useState<Operation[]>();
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  if (ready) {
    return (
      <ChangeDialog
        title={q ? `Change ${q.name}` : `Add ${form.name}`}
        about={q ? "Certificates that are on record keep their dates." : "Let a template or a place require it next."}
        operations={ready}
        button={q ? "Change the qualification" : "Add the qualification"}
        close={close}
      />
    );
  }
  const set = { name: form.name, summary: form.summary, months: Number(form.months) };
  return (
    <Ask
      open
      onOpenChange={close}
      title={q ? `Change ${q.name}` : "Add a qualification"}
      about={q ? `Code ${q.code}, which stays.` : "Something people are certified in."}
    >
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([
            q
              ? { op: "qualification.edit", on: q.code, set }
              : { op: "qualification.add", set: { code: form.code, ...set } },
          ]);
        }}
      >
        <TextField label="Name" required maxLength={120} value={form.name} onChange={put("name")} />
        <TextField
          label="Code"
          required
          disabled={!!q}
          maxLength={32}
          value={form.code}
          onChange={put("code")}
          hint="Such as FORKLIFT"
        />
        <TextField
          label="What it is about"
          optional
          className="col-span-2"
          maxLength={1000}
          value={form.summary}
          onChange={put("summary")}
        />
        <TextField
          label="A certificate counts for, in months"
          type="number"
          min={0}
          max={600}
          value={form.months}
          onChange={put("months")}
          hint="0: until it is withdrawn"
        />
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

/** One qualification, with everybody's certificates in it. */
export function QualificationPage() {
  const { code } = useParams({ strict: false }) as { code: string };
  const [search, put] = useFilters("/qualifications/$code");
  const may = useMay();
  const me = useMe();
  const [dialog, setDialog] = useState<"edit" | "retire">();
  const [editing, setEditing] = useState<Certificate>();
  const one = useQuery({
    ...read("/qualifications/{id}", { path: { id: code } }),
  });
  const query = {
    qualification: code,
    ...(search.state && { state: search.state }),
    ...(search.site && { site: search.site }),
    ...(search.q && { q: search.q }),
  };
  const list = useQuery({
    ...read("/certificates", { query: { ...query, limit: 500 } }),
    enabled: may("console.view_staff"),
  });
  if (!one.data) return <Unread of={one} />;
  const q = one.data;
  const edits = me.everywhere.includes("console.edit_templates");
  return (
    <Page
      title={q.name}
      lead={`${q.code} · a certificate counts ${monthsWords(q.months)}${q.retired ? " · retired" : ""}. ${q.summary ?? ""}`}
      acts={
        <>
          <TakeAlong from="/certificates" query={query} file={`certificates-${q.code}.csv`} />
          {edits && <Button onClick={() => setDialog("edit")}>Change</Button>}
          {edits && <Button onClick={() => setDialog("retire")}>{q.retired ? "Bring back" : "Retire"}</Button>}
        </>
      }
    >
      <p className="mb-4">
        <span className="text-faded">Required by: </span>
        <RequiredBy of={q} />
      </p>
      <div className="mb-3 grid items-end gap-2 sm:grid-cols-[2fr_minmax(0,1fr)_minmax(0,1fr)]">
        <SearchBox
          label="Search certificates"
          hint="Name, or number on the certificate"
          value={search.q}
          onChange={(q) => put({ q })}
        />
        <Choice label="State" value={search.state} onChange={(state) => put({ state })}>
          <option value="">Any state</option>
          <option value="counts">Counts</option>
          <option value="later">Later</option>
          <option value="run_out">Run out</option>
          <option value="withdrawn">Withdrawn</option>
        </Choice>
        <SiteChoice label="Site" value={search.site} onChange={(site) => put({ site })} />
      </div>
      <Listed of={list} empty={<>No certificate fits. Record one on the page of a person.</>}>
        {(data) => (
          <div className="overflow-x-auto">
            <table className="w-full">
              <thead>
                <tr className="text-left text-sm text-faded">
                  <th className="py-1 font-semibold">Who</th>
                  <th className="font-semibold">Certificate</th>
                  <th className="font-semibold">Issued</th>
                  <th className="font-semibold">Last day</th>
                  <th className="font-semibold">State</th>
                  <th>
                    <span className="sr-only">Acts</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {data.items.map((c) => (
                  <tr key={c.id} className="border-t border-rule">
                    <td className="py-1.5 pr-3">
                      <Link
                        to="/staff/$number"
                        params={{ number: c.staff.staff_number }}
                        className="font-semibold hover:underline"
                      >
                        {c.staff.name}
                      </Link>{" "}
                      <span className="text-sm text-faded">{c.staff.staff_number}</span>
                    </td>
                    <td className="pr-3">
                      {c.number || "–"}
                      <ScanLink certificate={c} />
                    </td>
                    <td className="pr-3 whitespace-nowrap">{day(c.issued)}</td>
                    <td className="pr-3 whitespace-nowrap">{day(c.until) || "open"}</td>
                    <td className="pr-3">
                      <CertificateMark certificate={c} />
                    </td>
                    <td className="text-right">
                      {may("console.edit_staff") && c.staff.staff_number !== me.staff_number && (
                        <Button
                          look="quiet"
                          className="min-h-0 px-1"
                          aria-label={`Change the certificate of ${c.staff.name}`}
                          onClick={() => setEditing(c)}
                        >
                          Change
                        </Button>
                      )}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Listed>
      {dialog === "edit" && <QualificationDialog of={q} close={() => setDialog(undefined)} />}
      {dialog === "retire" && (
        <ChangeDialog
          title={q.retired ? `Bring back ${q.name}` : `Retire ${q.name}`}
          about={
            q.retired
              ? "People can be certified in it again."
              : "Nobody is certified in it any more. What requires it goes on requiring it: change that first."
          }
          operations={[{ op: q.retired ? "qualification.restore" : "qualification.retire", on: q.code }]}
          button={q.retired ? "Bring it back" : "Retire it"}
          close={() => setDialog(undefined)}
        />
      )}
      {editing && <CertificateChange certificate={editing} close={() => setEditing(undefined)} />}
    </Page>
  );
}
