import { useMutation, useQuery } from "@tanstack/react-query";
import { type ReactNode, useDeferredValue } from "react";
import { api, Refusal, reread, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { useTyped } from "@/api/typed";
import { useMe } from "@/areas/session/session";
import { Button } from "@/parts/Button";
import { useApplied } from "@/parts/change";
import { TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { useMerging } from "@/parts/merging";
import { Page, Section } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";
import { day } from "@/parts/words";
import { SettingsTabs } from "./tabs";

type Organisation = Schema["Organisation"];

/** The settings of the organisation: read by every manager, changed by owners. */
export function Settings() {
  const settings = useQuery({
    ...read("/organisation"),
  });
  return (
    <Page title="Settings" lead="They count for the whole organisation, from the moment they are changed">
      <SettingsTabs />
      <Listed of={settings}>{() => null}</Listed>
      {settings.data && <Form now={settings.data} />}
    </Page>
  );
}

/** What the next staff number by a pattern would be, for somebody who is made up. */
function NumberExample({ pattern }: { pattern: string }) {
  const asked = useDeferredValue(pattern);
  const next = useQuery({
    ...read("/organisation/number", { query: { pattern: asked, given_name: "Ana", family_name: "Reyes" } }),
    enabled: asked !== "",
    retry: false,
  });
  const parts = "{n} or {n:4} counts, {given:1} and {family:3} are letters of the names, {site} the home site.";
  if (!asked)
    return (
      <>
        Such as {"{given:1}{family:3}{n:2}"}: {parts}
      </>
    );
  if (next.error instanceof Refusal) return <>{next.error.message}</>;
  return (
    <>
      Ana Reyes would get <b>{next.data?.staff_number ?? "…"}</b>. {parts}
    </>
  );
}

/** What a shorter time removes, before it is set. */
function removal(months: number, before: number, usual: string) {
  if (months === 0 || (before !== 0 && months >= before)) return usual;
  const since = new Date();
  since.setMonth(since.getMonth() - months);
  return `What is from before ${day(since.toISOString())} is removed within the hour, permanently: nobody can undo it.`;
}

function Form({ now }: { now: Organisation }) {
  const me = useMe();
  const { form: fields, put, changed: edited, theirs } = useMerging(now);
  const run = useMutation({
    mutationFn: () => take(api.PATCH("/organisation", { body: edited })),
    onSuccess: async (result) => {
      applied({ ...result, effect: { ...result.effect, summary: "The settings are changed." } });
      await reread();
    },
  });
  const applied = useApplied();
  const changed = Object.keys(edited).length > 0;
  useTyped(changed);
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  const number = (name: keyof Organisation, label: string, hint?: string) => (
    <TextField
      label={label}
      type="number"
      min={0}
      disabled={!me.owner}
      value={String(fields[name])}
      onChange={(e) => put({ [name]: Number(e.target.value) })}
      hint={hint}
      {...theirs(name)}
      error={wrong?.field(name)}
    />
  );
  const flag = (name: keyof Organisation, label: ReactNode) => (
    <label className="flex items-start gap-2">
      <input
        type="checkbox"
        disabled={!me.owner}
        checked={fields[name] as boolean}
        onChange={(e) => put({ [name]: e.target.checked })}
        className="mt-1 size-4 shrink-0 accent-damson"
      />
      <span>{label}</span>
    </label>
  );
  return (
    <form
      className="max-w-[60rem] space-y-8"
      onSubmit={(e) => {
        e.preventDefault();
        run.mutate();
      }}
    >
      {!me.owner && <p className="text-faded">An owner changes these. You see what they are.</p>}
      <PINs number={number} flag={flag} />
      <Section title="Wrong PINs">
        <div className="grid gap-x-8 gap-y-3 md:grid-cols-2">
          {number("tries_allowed", "Wrong PINs allowed", "After so many no more are taken.")}
          {number("tries_window_minutes", "Counted over, in minutes")}
          {number(
            "tries_hold_minutes",
            "Paused for, in minutes",
            "At most; one minute at first. Paused are PINs at that place, or there the badge that was shown with them.",
          )}
        </div>
      </Section>
      <Section title="Reminders">
        <div className="grid gap-x-8 gap-y-3 md:grid-cols-2">
          {number(
            "remind_days",
            "Managers are written to before something runs out, in days",
            "0: not. Mail takes a mail server, which whoever runs the service sets up.",
          )}
          {number("remind_again_days", "And once more, in days before", "0: not.")}
        </div>
      </Section>
      <Section title="Personal data">
        <div className="grid gap-x-8 gap-y-3 md:grid-cols-2">
          {number(
            "retention_months",
            "Erased after somebody has left, in months",
            "0: never. For good: names, addresses, notes, photos and reasons go, also out of the history and the audit log, which still verifies. Of times before, nobody can say who could do what.",
          )}
          {number(
            "photo_months",
            "Photos are kept after somebody has left, in months",
            "0: for as long as their record.",
          )}
          {number(
            "events_months",
            "Events are kept for, in months",
            removal(fields.events_months, now.events_months, "By whole months. 0: for good."),
          )}
          {number(
            "audit_months",
            "The audit log is kept for, in months",
            removal(fields.audit_months, now.audit_months, "12 or more. 0: for good."),
          )}
        </div>
        {flag("archives", "Write events and the log to signed files before they are removed")}
      </Section>
      <Section title="Signing in to the console">
        <div className="grid gap-x-8 gap-y-3 md:grid-cols-2">
          {number("first_password_hours", "A first password counts for, in hours")}
          {number("idle_minutes", "A session without use ends after, in minutes")}
        </div>
      </Section>
      <Section title="The organisation">
        <div className="grid gap-x-8 gap-y-3 md:grid-cols-2">
          <TextField
            label="Name"
            disabled={!me.owner}
            value={fields.name}
            onChange={(e) => put({ name: e.target.value })}
            error={wrong?.field("name")}
          />
          {number("max_owners", "Owners at most")}
          {number(
            "seats",
            "Seats",
            `How many people may be active or prepared at once; 0: as many as come. ${fields.seats_used} now.`,
          )}
          <TextField
            label="Staff numbers begin with"
            disabled={!me.owner}
            value={fields.number_prefix}
            onChange={(e) => put({ number_prefix: e.target.value })}
            error={wrong?.field("number_prefix")}
            hint={`The next is such as ${fields.number_prefix}${"1".padStart(Math.min(9, fields.number_digits), "0")}.`}
          />
          {number("number_digits", "Digits of a staff number")}
          <TextField
            label="Or staff numbers by a pattern"
            optional
            maxLength={100}
            disabled={!me.owner}
            value={fields.number_pattern}
            onChange={(e) => put({ number_pattern: e.target.value })}
            error={wrong?.field("number_pattern")}
            hint={<NumberExample pattern={fields.number_pattern} />}
          />
        </div>
      </Section>
      {me.owner && (
        <div className="space-y-3">
          {!wrong?.problem.errors?.length && <Wrong error={run.error} />}
          <Button type="submit" look="main" disabled={run.isPending || !changed}>
            Change the settings
          </Button>
        </div>
      )}
    </form>
  );
}

type FieldOf = (name: keyof Organisation, label: string, hint?: string) => ReactNode;
type FlagOf = (name: keyof Organisation, label: ReactNode) => ReactNode;

function PINs({ number, flag }: { number: FieldOf; flag: FlagOf }) {
  return (
    <Section title="PINs">
      <div className="grid gap-x-8 gap-y-4 md:grid-cols-2">
        <div className="space-y-3">
          {number("pin_digits", "Fewest digits", "4 to 10. A generated PIN gets more where many are in use.")}
          {number("pin_history", "Last PINs not taken again", "0 takes them all again.")}
          {number("pin_days", "Days a PIN counts", "0: until it is withdrawn.")}
        </div>
        <fieldset className="space-y-2">
          <legend className="mb-1 text-sm font-semibold">PINs that are refused</legend>
          {flag("pin_refuse_sequences", "Sequences, such as 123456")}
          {flag("pin_refuse_repeats", "Repeats, such as 121212")}
          {flag("pin_refuse_staff_number", "The holder's staff number")}
          {flag("pin_refuse_dates", "Dates, such as 0107 or 1990")}
          <div className="pt-3">{flag("pin_must_change", "A generated PIN is changed at its first use")}</div>
          {flag(
            "duress_pins",
            <>
              PINs for duress
              <span className="block text-sm text-faded">
                Somebody may have a second PIN, which opens as the first does and raises a silent alarm.
              </span>
            </>,
          )}
        </fieldset>
      </div>
    </Section>
  );
}
