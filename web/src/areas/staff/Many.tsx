import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api, reread, type Schema, take } from "@/api/api";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { isoToday } from "@/parts/AssignmentFields";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { useApplied } from "@/parts/change";
import { placeOptions, teamOptions, templateOptions, usePlaces, useTeams, useTemplates } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { Effects } from "@/parts/effects";
import { TextField } from "@/parts/fields";
import { PINTable } from "@/parts/secrets";
import { Wrong } from "@/parts/Wrong";
import { people } from "@/parts/words";

type Act = Schema["StaffAct"];
type Result = Schema["StaffActResult"];

/** Who is chosen in the list: some, or all whom the filter keeps. */
export type Chosen = { numbers: string[]; filter?: Schema["StaffFilter"]; count: number };

type Field =
  | "last_day"
  | "moment"
  | "place"
  | "template"
  | "from"
  | "until"
  | "overlap_days"
  | "of"
  | "team"
  | "of_team";
const acts: Record<
  string,
  { op: string; name: string; about: string; needs: string; grave?: boolean; reason?: boolean; fields: Field[] }
> = {
  lock: {
    op: "staff.lock",
    name: "Lock",
    about: "Every door and terminal refuses them from the moment this is done, until somebody unlocks.",
    needs: "console.lock",
    grave: true,
    reason: true,
    fields: ["moment"],
  },
  unlock: {
    op: "staff.unlock",
    name: "Unlock",
    about: "What was given counts again.",
    needs: "console.lock",
    fields: [],
  },
  activate: {
    op: "staff.activate",
    name: "Activate",
    about: "What was to begin on the start date begins now. What begins on another day keeps it.",
    needs: "console.edit_staff",
    fields: [],
  },
  assign: {
    op: "assignment.add",
    name: "Assign",
    about: "Each gets one more assignment.",
    needs: "console.assign",
    fields: ["place", "template", "from", "until"],
  },
  move: {
    op: "assignment.move",
    name: "Move",
    about: "Their assignments end, and the next begin, on a day. What is left empty stays.",
    needs: "console.assign",
    fields: ["place", "template", "from", "until", "overlap_days", "of"],
  },
  dates: {
    op: "assignment.edit",
    name: "Change the last day",
    about: "Their open assignments get another last day.",
    needs: "console.assign",
    fields: ["until", "of"],
  },
  end: {
    op: "assignment.end",
    name: "End assignments",
    about: "Their open assignments end now.",
    needs: "console.assign",
    grave: true,
    fields: ["of"],
  },
  pin: {
    op: "pin.set",
    name: "New PINs",
    about: "The PINs there are now stop counting. The new ones are shown once.",
    needs: "console.credentials",
    fields: [],
  },
  join: {
    op: "member.add",
    name: "Add to a team",
    about: "Being in a team gives no access.",
    needs: "console.teams",
    fields: ["team"],
  },
  out: {
    op: "member.end",
    name: "Take out of a team",
    about: "Their access stays as it is.",
    needs: "console.teams",
    fields: ["of_team"],
  },
  leave: {
    op: "staff.leave",
    name: "Record leaving",
    about: "Access ends at once, or after the last day. The records and their history stay.",
    needs: "console.leave",
    grave: true,
    reason: true,
    fields: ["last_day"],
  },
  reinstate: {
    op: "staff.reinstate",
    name: "Reinstate",
    about: "The leaving is taken back, also a planned one.",
    needs: "console.leave",
    fields: [],
  },
};

/** What can be done about those who are chosen. */
export function ManyBar({ chosen, clear }: { chosen: Chosen; clear: () => void }) {
  const may = useMay();
  const [act, setAct] = useState<string>();
  if (chosen.count === 0) return null;
  return (
    <div
      role="toolbar"
      aria-label="About those who are chosen"
      className="mb-3 flex flex-wrap items-center gap-2 rounded-sm border border-damson bg-inset px-3 py-2"
    >
      <b className="mr-2 font-semibold">{people(chosen.count)} chosen</b>
      {Object.entries(acts)
        .filter(([, a]) => may(a.needs))
        .map(([key, a]) => (
          <Button key={key} look={a.grave ? "grave" : "plain"} onClick={() => setAct(key)}>
            {a.name}
          </Button>
        ))}
      <Button look="quiet" onClick={clear}>
        Choose nobody
      </Button>
      {act && (
        <ManyDialog
          key={act}
          act={acts[act]!}
          chosen={chosen}
          close={(done) => {
            setAct(undefined);
            if (done) clear();
          }}
        />
      )}
    </div>
  );
}

function ManyDialog({
  act,
  chosen,
  close,
}: {
  act: (typeof acts)[string];
  chosen: Chosen;
  close: (done: boolean) => void;
}) {
  const [form, setForm] = useState<Partial<Record<Field, string>>>(
    act.fields.includes("from") ? { from: isoToday() } : {},
  );
  const [reason, setReason] = useState("");
  const [typed, setTyped] = useState("");
  const ready =
    (!act.fields.includes("team") || form.team) &&
    (!act.fields.includes("of_team") || form.of_team) &&
    (act.op !== "assignment.add" || (form.place && form.template)) &&
    (act.op !== "assignment.move" || form.place || form.template);
  const body: Act = {
    op: act.op,
    set: setOf(form),
    leave_out: true,
    ...(form.of && { of: { place: form.of } }),
    ...(form.of_team && { of: { team: form.of_team } }),
    ...(chosen.filter ? { filter: chosen.filter } : { staff: chosen.numbers }),
  };
  const asked = useDeferredValue(JSON.stringify(body));
  const would = useQuery({
    queryKey: ["/staff/acts", asked],
    queryFn: () => send(JSON.parse(asked), true),
    enabled: Boolean(ready),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 0,
  });
  const count = would.data?.count ?? 0;
  const run = useMutation({
    mutationFn: () => send({ ...body, ...(reason && { reason }), count }, false),
    onSuccess: (result) => {
      void reread();
      applied(result);
      if (result.secrets.length + result.left_out.length === 0) close(true);
    },
  });
  const applied = useApplied();
  const needs = act.reason || would.data?.effect.needs_reason;
  const typing = chosen.filter !== undefined && act.grave;
  if (run.data)
    return (
      <Ask
        open
        fixed={run.data.secrets.length > 0}
        onOpenChange={() => close(true)}
        title={`${act.name}: done`}
        about={`For ${people(run.data.count)}.`}
        wide
      >
        <Secrets of={run.data} />
        <LeftOut of={run.data} />
        <Button look="main" autoFocus={run.data.secrets.length === 0} onClick={() => close(true)}>
          Done
        </Button>
      </Ask>
    );
  return (
    <Ask
      open
      wide
      onOpenChange={(open) => !open && close(false)}
      title={`${act.name}: ${people(chosen.count)}`}
      about={act.about}
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <Fields of={act.fields} form={form} set={(name, value) => setForm({ ...form, [name]: value })} />
        <TextField
          label="Why"
          required={needs}
          optional={!needs}
          maxLength={500}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
        {would.error && <Wrong error={would.error} />}
        {would.data && <Effects effect={would.data.effect} />}
        {would.data && <LeftOut of={would.data} />}
        {typing && (
          <TextField
            label={`Type ${count} to confirm for how many this is done`}
            required
            inputMode="numeric"
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
        )}
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button
            type="submit"
            look={act.grave ? "grave" : "main"}
            disabled={run.isPending || count === 0 || !ready || (typing && typed.trim() !== String(count))}
          >
            {act.name}: {people(count)}
          </Button>
          <Button onClick={() => close(false)}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

/** The fields of the operation, as they are sent. */
function setOf(form: Partial<Record<Field, string>>): Record<string, unknown> {
  const { last_day, moment, of: _, of_team: __, overlap_days, ...rest } = form;
  return {
    ...Object.fromEntries(Object.entries(rest).filter(([, value]) => value)),
    ...(last_day && { on: last_day }),
    ...(moment && { until: moment }),
    ...(overlap_days && { overlap_days: Number(overlap_days) }),
  };
}

async function send(body: Act, preview: boolean): Promise<Result> {
  return take(api.POST("/staff/acts", { params: { query: { preview } }, body }));
}

function Fields({
  of,
  form,
  set,
}: {
  of: Field[];
  form: Partial<Record<Field, string>>;
  set: (name: Field, value: string) => void;
}) {
  const places = usePlaces();
  const templates = useTemplates({ place: form.place });
  const teams = useTeams(of.includes("team") || of.includes("of_team"));
  const moving = of.includes("overlap_days");
  const zones = [...new Set(places.data?.flatMap((p) => p.time_zone || []))];
  const common = (name: Field, label: string, hint?: string) => ({
    label,
    optional: true,
    value: form[name] ?? "",
    hint: name === "moment" && zones.length > 1 ? `In the time of each one's home site. ${hint}` : hint,
    onChange: (e: { target: { value: string } }) => set(name, e.target.value),
  });
  const text = (name: Field, label: string, type: "date" | "datetime-local" | "number", hint?: string) =>
    type === "number" ? (
      <TextField key={name} type={type} {...common(name, label, hint)} />
    ) : (
      <DateField
        key={name}
        type={type}
        zone={zones.length === 1 ? zones[0] : undefined}
        {...common(name, label, hint)}
      />
    );
  return (
    <div className="grid gap-3 sm:grid-cols-2">
      {of.map((name) => {
        switch (name) {
          case "place":
          case "of":
            return (
              <Combobox
                key={name}
                label={name === "of" ? "Only of assignments at, or below" : moving ? "Next place" : "Where"}
                required={name === "place" && !moving}
                value={form[name] ?? ""}
                onChange={(e) => set(name, e.target.value)}
                placeholder={name === "of" ? "anywhere" : moving ? "as before" : "Choose a place"}
                options={placeOptions(places.data)}
              />
            );
          case "template":
            return (
              <Combobox
                key={name}
                label={moving ? "Next template" : "Works as"}
                required={!moving}
                value={form.template ?? ""}
                onChange={(e) => set("template", e.target.value)}
                placeholder={moving ? "as before" : "Choose a template"}
                options={templateOptions(templates.data?.items, { giving: true })}
              />
            );
          case "team":
          case "of_team":
            return (
              <Combobox
                key={name}
                label="Which team"
                required
                value={form[name] ?? ""}
                onChange={(e) => set(name, e.target.value)}
                placeholder="Choose a team"
                options={teamOptions(teams.data?.items)}
              />
            );
          case "from":
            return text(name, "First day", "date");
          case "until":
            return text(name, "Last day", "date", moving ? "Left empty: as before." : "Left empty: open.");
          case "last_day":
            return text(name, "Last day that counts", "date", "Left empty: access ends at once.");
          case "moment":
            return text(name, "Until", "datetime-local", "Left empty: until somebody unlocks.");
          default:
            return text(name, "Days on which both count", "number");
        }
      })}
    </div>
  );
}

function LeftOut({ of }: { of: Result }) {
  if (of.left_out.length === 0) return null;
  return (
    <details className="rounded-sm bg-soon-wash px-3 py-2 text-dense">
      <summary className="font-semibold text-soon">{people(of.left_out.length)} left out</summary>
      <ul className="mt-1 max-h-40 overflow-auto">
        {of.left_out.map((l) => (
          <li key={l.staff.staff_number}>
            {l.staff.name} {l.staff.staff_number}: {l.why}
          </li>
        ))}
      </ul>
    </details>
  );
}

function Secrets({ of }: { of: Result }) {
  if (of.secrets.length === 0) return null;
  return (
    <div className="mb-4 rounded-sm border-2 border-dashed border-brass bg-soon-wash px-4 py-3">
      <p className="text-sm font-semibold text-soon">PINs, shown this once</p>
      <PINTable pins={of.secrets.map((s) => ({ staff_number: s.owner, pin: s.value }))} />
    </div>
  );
}
