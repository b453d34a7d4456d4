import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { AlertTriangle } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { api, type ChangeResult, change, type Operation, Refusal, take } from "@/api/api";
import { AssignmentFields, isoToday, useAssignmentChoices } from "@/parts/AssignmentFields";
import { DateField } from "@/parts/DateField";
import { Effects } from "@/parts/effects";
import { PersonField } from "@/parts/PersonField";
import {
  Button,
  buttonLook,
  engagementWord,
  Page,
  SecretSlip,
  Section,
  SelectField,
  Statement,
  Tabs,
  TextField,
  Wrong,
} from "@/parts/parts";

/** One person, or many at once. */
export const EnrolTabs = () => (
  <Tabs
    label="Enrol"
    tabs={[
      { to: "/enrol", name: "One person" },
      { to: "/imports", name: "Many, from a file" },
    ]}
  />
);

const blank = {
  given_name: "",
  family_name: "",
  email: "",
  job_title: "",
  engagement: "seasonal",
  employer: "",
  home_site: "",
  start_date: isoToday(),
  contract_end: "",
};

/** One page from name to PIN, with a sentence that says all along what the person will be able to do. */
export function Enrol() {
  const [round, setRound] = useState(0);
  return <Form key={round} again={() => setRound(round + 1)} />;
}

function Form({ again }: { again: () => void }) {
  const [form, setForm] = useState(blank);
  const [pin, setPin] = useState(true);
  const [reason, setReason] = useState("");
  const [like, setLike] = useState("");
  const [exceptions, setExceptions] = useState(false);
  const sites = useQuery({
    queryKey: ["places", "sites"],
    queryFn: () => take(api.GET("/places", { params: { query: { kind: "site" } } })),
  });
  const choices = useAssignmentChoices(form.home_site, form.contract_end, form.start_date);
  const named = form.given_name.trim() !== "" && form.family_name.trim() !== "";
  const ready = named && form.home_site !== "";
  const operations: Operation[] = [
    { op: "staff.enrol", ref: "person", set: form },
    ...(choices.template ? [{ op: "assignment.add", set: { staff: "@person", ...choices.set } }] : []),
    ...(like ? [{ op: "staff.like", on: "@person", set: { like, exceptions } }] : []),
    ...(pin ? [{ op: "pin.set", set: { staff: "@person" } }] : []),
  ];
  const asked = useDeferredValue(JSON.stringify(operations));
  const preview = useQuery({
    queryKey: ["preview", asked],
    queryFn: () => change(JSON.parse(asked), "", true),
    enabled: ready,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const who = useDeferredValue(
    JSON.stringify({
      given_name: form.given_name.trim(),
      family_name: form.family_name.trim(),
      email: form.email.trim(),
    }),
  );
  const duplicates = useQuery({
    queryKey: ["duplicates", who],
    queryFn: () => take(api.GET("/staff/duplicates", { params: { query: JSON.parse(who) } })),
    enabled: named || form.email.includes("@"),
  });
  const titled = useDeferredValue(JSON.stringify({ job_title: form.job_title.trim(), site: form.home_site }));
  const proposals = useQuery({
    queryKey: ["proposals", titled],
    queryFn: () => take(api.GET("/staff/proposals", { params: { query: { ...JSON.parse(titled), limit: 4 } } })),
    enabled: form.job_title.trim().length > 2 && form.home_site !== "",
  });
  const naming = useDeferredValue(
    JSON.stringify({ given_name: form.given_name, family_name: form.family_name, home_site: form.home_site }),
  );
  const number = useQuery({
    queryKey: ["organisation", "number", naming],
    queryFn: () => take(api.GET("/organisation/number", { params: { query: JSON.parse(naming) } })),
    enabled: ready,
    placeholderData: keepPreviousData,
  });
  const run = useMutation({ mutationFn: () => change(operations, reason) });
  const wrong = run.error instanceof Refusal ? run.error : preview.error instanceof Refusal ? preview.error : undefined;
  const needsReason = preview.data?.effect.needs_reason ?? false;
  const set = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });

  if (run.data) return <Enrolled result={run.data} name={`${form.given_name} ${form.family_name}`} again={again} />;
  return (
    <Page title="Enrol" lead="From name to PIN on one page. Nothing is written until you enrol.">
      <EnrolTabs />
      <form
        className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-10 gap-y-7 lg:grid-cols-[1fr_25rem]"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <div className="space-y-7">
          <Section title="1 · Who">
            <div className="grid grid-cols-2 gap-3">
              <TextField
                label="Given name"
                autoFocus
                required
                maxLength={80}
                value={form.given_name}
                onChange={set("given_name")}
                error={wrong?.field("given_name")}
              />
              <TextField
                label="Family name"
                required
                maxLength={80}
                value={form.family_name}
                onChange={set("family_name")}
                error={wrong?.field("family_name")}
              />
              <SelectField label="Engagement" value={form.engagement} onChange={set("engagement")}>
                {Object.entries(engagementWord).map(([key, word]) => (
                  <option key={key} value={key}>
                    {word}
                  </option>
                ))}
              </SelectField>
              <TextField
                label={form.engagement === "agency" ? "Agency" : "Employer"}
                optional
                maxLength={120}
                value={form.employer}
                onChange={set("employer")}
                error={wrong?.field("employer")}
              />
              <SelectField
                label="Home site"
                required
                value={form.home_site}
                onChange={set("home_site")}
                error={form.home_site ? wrong?.field("home_site") : undefined}
              >
                <option value="">Choose a site</option>
                {sites.data?.items.map((s) => (
                  <option key={s.code} value={s.code}>
                    {s.name}
                  </option>
                ))}
              </SelectField>
              <TextField
                label="Job title"
                optional
                maxLength={120}
                value={form.job_title}
                onChange={set("job_title")}
              />
              <DateField
                label="Start"
                type="date"
                required
                value={form.start_date}
                onChange={set("start_date")}
                error={wrong?.field("start_date")}
              />
              <DateField
                label="Contract end"
                optional
                type="date"
                value={form.contract_end}
                onChange={set("contract_end")}
                error={wrong?.field("contract_end")}
              />
              <TextField
                label="Work email"
                optional
                type="email"
                className="col-span-2"
                maxLength={254}
                value={form.email}
                onChange={set("email")}
                error={wrong?.field("email")}
              />
            </div>
            {ready && number.data && (
              <p className="mt-2 text-sm text-faded">
                The staff number will be <b className="text-ink">{number.data.staff_number}</b>.
              </p>
            )}
            {duplicates.data && duplicates.data.items.length > 0 && (
              <div role="status" className="mt-3 rounded-sm border border-soon bg-soon-wash px-4 py-2.5">
                <p className="flex items-center gap-2 font-[600]">
                  <AlertTriangle size={17} className="text-soon" aria-hidden /> Somebody on record may be the same
                  person
                </p>
                <ul>
                  {duplicates.data.items.map((d) => (
                    <li key={d.staff_number || "elsewhere"}>
                      {!d.staff_number && `S${d.why.slice(1)}.`}
                      {d.staff_number && (
                        <>
                          <Link
                            to="/staff/$number"
                            params={{ number: d.staff_number }}
                            className="font-[600] text-damson underline"
                          >
                            {d.name}
                          </Link>{" "}
                          {d.staff_number}, {d.status}, {d.home_site}: {d.why}
                        </>
                      )}
                    </li>
                  ))}
                </ul>
              </div>
            )}
          </Section>
          <Section title="2 · Where, and as what">
            {!choices.template && !!proposals.data?.items.length && (
              <p className="mb-3 flex flex-wrap items-center gap-2">
                <span className="text-faded">Others with this title:</span>
                {proposals.data.items.map((p) => (
                  <Button
                    key={`${p.place.code} ${p.template}`}
                    onClick={() => {
                      choices.setPlace(p.place.code);
                      choices.setTemplate(p.template);
                    }}
                  >
                    {p.template_name} at {p.place.name} ({p.count} of {p.of})
                  </Button>
                ))}
              </p>
            )}
            <AssignmentFields choices={choices} wrong={choices.template ? wrong : undefined} />
            <div className="mt-3 border-t border-rule pt-3">
              <PersonField label="And what this colleague has" optional value={like} onChosen={setLike} />
              {like && (
                <label className="mt-2 flex items-start gap-2.5">
                  <input
                    type="checkbox"
                    checked={exceptions}
                    onChange={(e) => setExceptions(e.target.checked)}
                    className="mt-1 size-4 accent-damson"
                  />
                  <span>
                    Exceptions too
                    <span className="block text-sm text-faded">Credentials and personal data are never copied.</span>
                  </span>
                </label>
              )}
            </div>
          </Section>
          <Section title="3 · How they are known at the door">
            <label className="flex items-start gap-2.5">
              <input
                type="checkbox"
                checked={pin}
                onChange={(e) => setPin(e.target.checked)}
                className="mt-1 size-4 accent-damson"
              />
              <span>
                Generate a PIN
                <span className="block text-sm text-faded">It is shown once, when you enrol.</span>
              </span>
            </label>
          </Section>
        </div>
        <aside className="sheet p-5 lg:sticky lg:top-20">
          <h2 className="mb-2">After enrolling</h2>
          <div aria-live="polite">
            {!ready && (
              <p className="text-faded">
                Say who, and at which site: what they will be able to do is written here as you go.
              </p>
            )}
            {ready && preview.data?.people[0]?.statements.length === 0 && (
              <p className="sentence">{form.given_name} will be on record and able to do nothing yet.</p>
            )}
            {ready && preview.data?.people[0]?.statements.map((s) => <Statement key={s.sentence} statement={s} />)}
            {ready &&
              preview.data?.people[0]?.obstacles.map((o) => (
                <p key={o.code} className="mt-2 rounded-sm bg-soon-wash px-3 py-1.5 text-soon">
                  {o.sentence}
                </p>
              ))}
            {ready && preview.data && <Effects effect={preview.data.effect} />}
          </div>
          {needsReason && (
            <TextField
              className="mt-3"
              label="Why"
              required
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              hint="This gives something sensitive."
              error={run.error ? wrong?.field("reason") : undefined}
            />
          )}
          <div className="mt-4 space-y-3">
            {(run.error || preview.error) && <Wrong error={run.error ?? preview.error} />}
            <Button type="submit" look="main" className="w-full" disabled={run.isPending}>
              Enrol {form.given_name}
            </Button>
          </div>
        </aside>
      </form>
    </Page>
  );
}

function Enrolled({ result, name, again }: { result: ChangeResult; name: string; again: () => void }) {
  const number = result.made.find((m) => m.kind === "staff")?.code ?? "";
  return (
    <Page
      title={`${name} is enrolled`}
      lead={`Staff number ${number}`}
      acts={
        <>
          <Link to="/staff/$number" params={{ number }} className={buttonLook()}>
            Open {name}
          </Link>
          <Button look="main" onClick={again} autoFocus>
            Enrol another
          </Button>
        </>
      }
    >
      <div className="max-w-2xl space-y-5">
        {result.secrets.map((s) => (
          <SecretSlip key={s.value} secret={s} />
        ))}
        {result.people[0]?.statements.map((s) => (
          <Statement key={s.sentence} statement={s} />
        ))}
        {result.people[0]?.obstacles.map((o) => (
          <p key={o.code} className="rounded-sm bg-soon-wash px-3 py-2 text-soon">
            {o.sentence} {o.mend}
          </p>
        ))}
      </div>
    </Page>
  );
}
