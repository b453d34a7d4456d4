import { useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { FileText } from "lucide-react";
import { useState } from "react";
import { type Operation, type Schema, type Staff, send } from "@/api/api";
import { read, touched } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Ask } from "./Ask";
import { isoToday } from "./AssignmentFields";
import { Button } from "./Button";
import { Combobox } from "./Combobox";
import { ChangeDialog, Reasoned } from "./change";
import { DateField } from "./DateField";
import { TextField } from "./fields";
import { Listed } from "./Listed";
import { Mark } from "./Mark";
import { Section } from "./Page";
import { Wrong } from "./Wrong";
import { day } from "./words";

export type Certificate = Schema["Certificate"];

export function useQualifications({ retired = false } = {}) {
  const which = retired ? "all" : "false";
  return useQuery({
    ...read("/qualifications", { query: { limit: 500, retired: which } }),
    staleTime: 30_000,
  });
}

/** Which qualifications something requires, as boxes to tick. */
export function RequiresField({
  value,
  onChange,
  hint,
}: {
  value: string[];
  onChange: (codes: string[]) => void;
  hint?: string;
}) {
  const list = useQualifications({ retired: true });
  const shown = list.data?.items.filter((q) => !q.retired || value.includes(q.code)) ?? [];
  return (
    <fieldset className="col-span-2">
      <legend className="mb-0.5 text-sm font-semibold">Requires a valid certificate in</legend>
      {list.data && shown.length === 0 && <p className="text-faded">No qualification is on record yet.</p>}
      <div className="flex flex-wrap gap-x-5 gap-y-1">
        {shown.map((q) => (
          <label key={q.code} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-damson"
              checked={value.includes(q.code)}
              onChange={(e) =>
                onChange(e.target.checked ? [...value, q.code] : value.filter((code) => code !== q.code))
              }
            />
            {q.name}
            {q.retired && " (retired)"}
          </label>
        ))}
      </div>
      {hint && <p className="mt-0.5 text-sm text-faded">{hint}</p>}
    </fieldset>
  );
}

export function CertificateMark({ certificate: c }: { certificate: Certificate }) {
  switch (c.state) {
    case "withdrawn":
      return <Mark of="left">Withdrawn</Mark>;
    case "run_out":
      return <Mark of="shut">Run out</Mark>;
    case "later":
      return <Mark of="prepared">Later</Mark>;
  }
  if (c.days !== undefined && c.days <= 30)
    return <Mark of="stuck">{c.days === 0 ? "Last day" : `${c.days} days`}</Mark>;
  return <Mark of="active">Counts</Mark>;
}

/** What somebody is qualified in, from when until when. */
export function Certificates({ staff, self }: { staff: Staff; self: boolean }) {
  const may = useMay();
  const [adding, setAdding] = useState(() => location.hash === "#certificate");
  const [editing, setEditing] = useState<Certificate>();
  const list = useQuery({
    ...read("/certificates", { query: { staff: staff.staff_number, sort: "-issued", limit: 200 } }),
  });
  const edits = !self && may("console.edit_staff", staff.home_site.code);
  return (
    <Section
      title="Qualifications"
      note={
        edits &&
        staff.status !== "left" && (
          <button type="button" className="text-damson underline underline-offset-2" onClick={() => setAdding(true)}>
            Record a certificate
          </button>
        )
      }
    >
      <Listed of={list}>{() => null}</Listed>
      {list.data?.items.length === 0 && <p className="text-faded">No certificate is on record.</p>}
      <ul>
        {list.data?.items.map((c) => (
          <li key={c.id} className="border-b border-rule py-1.5 last:border-b-0">
            <span className="flex items-center justify-between gap-2">
              <span className="font-semibold">{c.qualification.name}</span>
              <CertificateMark certificate={c} />
            </span>
            <span className="flex justify-between gap-2 text-sm text-faded">
              <span>
                {c.number && `${c.number}, `}
                {day(c.issued)} to {day(c.until) || "open"}
                <ScanLink certificate={c} />
              </span>
              {edits && (
                <button
                  type="button"
                  className="text-damson underline underline-offset-2"
                  aria-label={`Change the certificate in ${c.qualification.name}`}
                  onClick={() => setEditing(c)}
                >
                  Change
                </button>
              )}
            </span>
          </li>
        ))}
      </ul>
      {adding && <CertificateDialog staff={staff} close={() => setAdding(false)} />}
      {editing && <CertificateChange certificate={editing} close={() => setEditing(undefined)} />}
    </Section>
  );
}

export function ScanLink({ certificate: c }: { certificate: Certificate }) {
  if (!c.scan) return null;
  return (
    <>
      {" "}
      <a
        href={`/api/v1/certificates/${c.id}/scan`}
        target="_blank"
        rel="noreferrer"
        className="inline-flex items-center gap-0.5 text-damson underline underline-offset-2"
      >
        <FileText size={14} aria-hidden /> Scan
      </a>
    </>
  );
}

/** Records that somebody is qualified in something. */
function CertificateDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const qualifications = useQualifications();
  const [form, setForm] = useState({ qualification: "", number: "", issued: isoToday(), until: "" });
  const chosen = qualifications.data?.items.find((q) => q.code === form.qualification);
  const operations: Operation[] =
    chosen && form.issued
      ? [
          {
            op: "certificate.add",
            set: {
              staff: staff.staff_number,
              qualification: form.qualification,
              number: form.number,
              issued: form.issued,
              ...(form.until && { until: form.until }),
            },
          },
        ]
      : [];
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`A certificate of ${staff.given_name} ${staff.family_name}`}
      about="Say which qualification, from when, and until when. Work that waits for it is allowed from then on."
    >
      <div className="mb-4 grid grid-cols-2 gap-3">
        <Combobox
          label="Qualification"
          value={form.qualification}
          onChange={put("qualification")}
          hint={
            qualifications.data?.items.length === 0 ? (
              <>
                None is on record yet. Begin at{" "}
                <Link to="/qualifications" className="text-damson underline">
                  Qualifications
                </Link>
                .
              </>
            ) : undefined
          }
          placeholder="Choose one"
          options={qualifications.data?.items.map((q) => ({ value: q.code, label: q.name, note: q.code }))}
        />
        <TextField label="Number on it" optional maxLength={64} value={form.number} onChange={put("number")} />
        <DateField label="Issued on" type="date" required value={form.issued} onChange={put("issued")} />
        <DateField
          label="Last day"
          optional
          type="date"
          value={form.until}
          onChange={put("until")}
          hint={
            chosen
              ? chosen.months
                ? `${chosen.months} months from its issue, unless you say otherwise.`
                : "No end, unless you say otherwise."
              : undefined
          }
        />
      </div>
      <Reasoned operations={operations} button="Record the certificate" close={close} />
    </Ask>
  );
}

/** Gives a certificate other dates, keeps a scan of it, or withdraws it. */
export function CertificateChange({ certificate: c, close }: { certificate: Certificate; close: () => void }) {
  const first = { number: c.number ?? "", issued: c.issued, until: c.until ?? "" };
  const [form, setForm] = useState(first);
  const [ending, setEnding] = useState(false);
  const changed = Object.fromEntries(Object.entries(form).filter(([k, v]) => v !== first[k as keyof typeof first]));
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  const scan = useMutation({
    mutationFn: async (file: File) => {
      await send(`/certificates/${c.id}/scan`, file);
      await touched("/certificates", "/staff");
    },
  });
  if (ending || c.state === "withdrawn") {
    const back = c.state === "withdrawn";
    return (
      <ChangeDialog
        title={`${back ? "Bring back" : "Withdraw"} the certificate in ${c.qualification.name}`}
        about={`${c.staff.name}, ${c.number || "without a number"}. It stays on record either way.`}
        operations={[{ op: back ? "certificate.restore" : "certificate.end", on: String(c.id) }]}
        button={back ? "Bring it back" : "Withdraw the certificate"}
        grave={!back}
        close={close}
      />
    );
  }
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`${c.qualification.name} of ${c.staff.name}`}
      about="The number on the certificate, and until when it counts."
    >
      <div className="mb-4 grid grid-cols-3 gap-3">
        <TextField label="Number on it" optional maxLength={64} value={form.number} onChange={put("number")} />
        <DateField label="Issued on" type="date" value={form.issued} onChange={put("issued")} />
        <DateField label="Last day" optional type="date" value={form.until} onChange={put("until")} />
        <label className="col-span-2 text-sm">
          <span className="mb-0.5 block font-semibold">
            Scan <span className="font-normal text-faded">(PDF, PNG or JPEG, at most 3 MB)</span>
          </span>
          <input
            type="file"
            accept="application/pdf,image/png,image/jpeg"
            onChange={(e) => e.target.files?.[0] && scan.mutate(e.target.files[0])}
          />
          {scan.isSuccess && <span role="status"> The scan is kept.</span>}
        </label>
        <div className="self-end text-right">
          <Button look="grave" onClick={() => setEnding(true)}>
            Withdraw…
          </Button>
        </div>
      </div>
      <Wrong error={scan.error} />
      <Reasoned
        operations={Object.keys(changed).length ? [{ op: "certificate.edit", on: String(c.id), set: changed }] : []}
        button="Change the certificate"
        close={close}
      />
    </Ask>
  );
}
