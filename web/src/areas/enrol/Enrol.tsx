import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useState } from "react";
import { type ChangeResult, change, type Operation, Refusal } from "@/api/api";
import { preview } from "@/api/read";
import { useTyped } from "@/api/typed";
import { AssignmentFields, useAssignmentChoices } from "@/parts/AssignmentFields";
import { Button } from "@/parts/Button";
import { Effects } from "@/parts/effects";
import { TextField } from "@/parts/fields";
import { Page, Section, Tabs } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { Statement } from "@/parts/Statement";
import { Wrong } from "@/parts/Wrong";
import { Enrolled } from "./Enrolled";
import { blank, type Form as Fields, useProposals } from "./form";
import { Who } from "./Who";

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

/** One page from name to PIN, with a sentence that says all along what the person will be able to do. */
export function Enrol() {
  const [round, setRound] = useState(0);
  return <Form key={round} again={() => setRound(round + 1)} />;
}

function Form({ again }: { again: () => void }) {
  const [form, setForm] = useState(blank);
  const [own, setOwn] = useState<Record<string, string>>({});
  const [pin, setPin] = useState(true);
  const [password, setPassword] = useState<{ template: string; wanted: boolean }>();
  const [reason, setReason] = useState("");
  const [like, setLike] = useState({ number: "", exceptions: false });
  const choices = useAssignmentChoices(form.home_site, form.contract_end, form.start_date);
  const named = form.given_name.trim() !== "" && form.family_name.trim() !== "";
  const ready = named && form.home_site !== "";
  const signsIn = password?.wanted === true && password.template === choices.template;
  const operations: Operation[] = [
    { op: "staff.enrol", ref: "person", set: { ...form, own } },
    ...(choices.template ? [{ op: "assignment.add", set: { staff: "@person", ...choices.set } }] : []),
    ...(like.number
      ? [{ op: "staff.like", on: "@person", set: { like: like.number, exceptions: like.exceptions } }]
      : []),
    ...(pin ? [{ op: "pin.set", set: { staff: "@person" } }] : []),
    ...(signsIn ? [{ op: "password.issue", set: { staff: "@person" } }] : []),
  ];
  const asked = useDeferredValue(JSON.stringify(operations));
  const effect = useQuery({
    ...preview(JSON.parse(asked) as Operation[]),
    enabled: ready,
    placeholderData: keepPreviousData,
  });
  const needsSignIn = !!effect.data?.people[0]?.obstacles.some((o) => o.code === "no_sign_in");
  useEffect(() => {
    if (needsSignIn && password?.template !== choices.template) {
      setPassword({ template: choices.template, wanted: true }); // until somebody says otherwise
    }
  }, [needsSignIn, password, choices.template]);
  const run = useMutation({ mutationFn: () => change(operations, reason) });
  useTyped(!run.data && (form.given_name + form.family_name).trim() !== "");
  const wrong = [run.error, effect.error].find((e) => e instanceof Refusal) as Refusal | undefined;
  if (run.data) {
    const name = `${form.given_name} ${form.family_name}`;
    return <Enrolled result={run.data} name={name} site={form.home_site} again={again} />;
  }
  return (
    <Page title="Enrol" lead="From name to PIN on one page. Nothing is written until you enrol.">
      <EnrolTabs />
      <form
        className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-10 gap-y-7 lg:grid-cols-[minmax(0,1fr)_25rem]"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <div className="space-y-7">
          <Who form={form} setForm={setForm} own={own} setOwn={setOwn} wrong={wrong} />
          <Where form={form} choices={choices} like={like} setLike={setLike} wrong={wrong} />
          <Section title="3 · How they are known">
            <div className="space-y-3">
              <Box checked={pin} onChange={setPin} hint="It is shown once, when you enrol.">
                Generate a PIN
              </Box>
              {password?.template === choices.template && (
                <Box
                  checked={password.wanted}
                  onChange={(wanted) => setPassword({ template: choices.template, wanted })}
                  hint="Their work needs this console. It is shown once, and counts from the start date."
                >
                  Generate a first password
                </Box>
              )}
            </div>
          </Section>
        </div>
        <aside className="sheet p-5 lg:sticky lg:top-20">
          <h2 className="mb-2">After enrolling</h2>
          <After name={form.given_name} ready={ready} effect={effect.data} />
          {effect.data?.effect.needs_reason && (
            <TextField
              className="mt-3"
              label="Why"
              required
              value={reason}
              onChange={(e) => setReason(e.target.value)}
              hint="This gives something sensitive."
              {...(run.error && wrong?.field("reason") && { error: wrong.field("reason")! })}
            />
          )}
          <div className="mt-4 space-y-3">
            <Wrong error={run.error ?? effect.error} />
            <Button type="submit" look="main" className="w-full" disabled={run.isPending}>
              Enrol {form.given_name}
            </Button>
          </div>
        </aside>
      </form>
    </Page>
  );
}

type Like = { number: string; exceptions: boolean };

/** Where somebody works, and as what: as is proposed, as is chosen, or as a colleague. */
function Where({
  form,
  choices,
  like,
  setLike,
  wrong,
}: {
  form: Fields;
  choices: ReturnType<typeof useAssignmentChoices>;
  like: Like;
  setLike: (like: Like) => void;
  wrong: Refusal | undefined;
}) {
  const proposals = useProposals(form).data?.items ?? [];
  return (
    <Section title="2 · Where, and as what">
      {!choices.template && proposals.length > 0 && (
        <p className="mb-3 flex flex-wrap items-center gap-2">
          <span className="text-faded">Others with this title:</span>
          {proposals.map((p) => (
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
      <AssignmentFields optional choices={choices} {...(choices.template && wrong && { wrong })} />
      <div className="mt-3 border-t border-rule pt-3">
        <PersonField
          label="And what this colleague has"
          optional
          value={like.number}
          onChosen={(number) => setLike({ ...like, number })}
        />
        {like.number && (
          <div className="mt-2">
            <Box
              checked={like.exceptions}
              onChange={(exceptions) => setLike({ ...like, exceptions })}
              hint="Credentials and personal data are never copied."
            >
              Exceptions too
            </Box>
          </div>
        )}
      </div>
    </Section>
  );
}

function Box({
  checked,
  onChange,
  hint,
  children,
}: {
  checked: boolean;
  onChange: (checked: boolean) => void;
  hint: string;
  children: string;
}) {
  return (
    <label className="flex items-start gap-2.5">
      <input
        type="checkbox"
        checked={checked}
        onChange={(e) => onChange(e.target.checked)}
        className="mt-1 size-4 accent-damson"
      />
      <span>
        {children}
        <span className="block text-sm text-faded">{hint}</span>
      </span>
    </label>
  );
}

/** What somebody will be able to do, in sentences, as far as it is filled in. */
function After({ name, ready, effect }: { name: string; ready: boolean; effect: ChangeResult | undefined }) {
  const person = effect?.people[0];
  return (
    <div aria-live="polite">
      {!ready && (
        <p className="text-faded">
          Say who, and at which site: what they will be able to do is written here as you go.
        </p>
      )}
      {ready && (
        <>
          {person?.statements.length === 0 && (
            <p className="sentence">{name} will be on record and able to do nothing yet.</p>
          )}
          {person?.statements.map((s) => (
            <Statement key={s.sentence} statement={s} />
          ))}
          {person?.obstacles.map((o) => (
            <p key={o.code} className="mt-2 rounded-sm bg-soon-wash px-3 py-1.5 text-soon">
              {o.sentence}
            </p>
          ))}
          {effect && <Effects effect={effect.effect} />}
        </>
      )}
    </div>
  );
}
