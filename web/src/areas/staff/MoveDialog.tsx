import { useState } from "react";
import type { Operation, Schema, Staff } from "@/api/api";
import { Ask } from "@/parts/Ask";
import { AssignmentChoice, useAssignments } from "@/parts/AssignmentChoice";
import { isoToday } from "@/parts/AssignmentFields";
import { Combobox } from "@/parts/Combobox";
import { Reasoned } from "@/parts/change";
import { placeOptions, templateOptions, usePlaces, useTemplates } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { TextField } from "@/parts/fields";
import { PersonField } from "@/parts/PersonField";

/**
 * Lets an assignment end and the next begin, at another place or with another template. Somebody who goes to another
 * site may belong to that from now on.
 */
export function MoveDialog({
  assignment: a,
  home,
  close,
}: {
  assignment: Schema["Assignment"];
  home: Schema["PlaceRef"];
  close: () => void;
}) {
  const [belongs, setBelongs] = useState(false);
  const [to, setTo] = useState({ place: "", template: "", from: isoToday(), until: "", overlap: "" });
  const places = usePlaces();
  const templates = useTemplates({ place: to.place || a.place.code });
  const put = (name: keyof typeof to) => (e: { target: { value: string } }) => setTo({ ...to, [name]: e.target.value });
  const site = places.data?.find((p) => p.code === places.data?.find((p) => p.code === to.place)?.site);
  const elsewhere = site?.kind === "site" && site.code !== home.code ? site : undefined;
  const operations: Operation[] =
    to.place || to.template
      ? [
          ...(elsewhere && belongs
            ? [{ op: "staff.edit", on: a.staff.staff_number, set: { home_site: elsewhere.code } }]
            : []),
          {
            op: "assignment.move",
            on: String(a.id),
            set: {
              ...(to.place && { place: to.place }),
              ...(to.template && { template: to.template }),
              ...(to.until && { until: to.until }),
              from: to.from,
              overlap_days: Number(to.overlap) || 0,
            },
          },
        ]
      : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Move ${a.staff.name}`}
      about={`From ${a.template_name} at ${a.place.name}: that ends the day before, and the next begins. What is left empty stays.`}
    >
      <div className="mb-4 grid gap-3 sm:grid-cols-2">
        <Combobox
          label="Next place"
          value={to.place}
          onChange={put("place")}
          placeholder={`as before: ${a.place.name}`}
          options={placeOptions(places.data)}
        />
        <Combobox
          label="Next template"
          value={to.template}
          onChange={put("template")}
          placeholder={`as before: ${a.template_name}`}
          options={templateOptions(templates.data?.items, { giving: true })}
        />
        <DateField label="First day there" type="date" required value={to.from} onChange={put("from")} />
        <DateField label="Last day there" type="date" optional value={to.until} onChange={put("until")} />
        <TextField
          label="Days on which both count"
          type="number"
          min={0}
          max={366}
          optional
          value={to.overlap}
          onChange={put("overlap")}
        />
      </div>
      {elsewhere && (
        <label className="mb-4 flex items-start gap-2.5">
          <input
            type="checkbox"
            checked={belongs}
            onChange={(e) => setBelongs(e.target.checked)}
            className="mt-1 size-4 accent-damson"
          />
          <span>
            And belongs to {elsewhere.name} from today on
            <span className="block text-sm text-faded">
              Whoever looks after {elsewhere.name} then sees and does everything about {a.staff.name}; whoever looks
              after {home.name} no longer does.
            </span>
          </span>
        </label>
      )}
      <Reasoned operations={operations} button="Move" close={close} />
    </Ask>
  );
}

/** Gives a colleague what somebody absent has, for the days of the absence. */
export function CoverDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const [by, setBy] = useState("");
  const [from, setFrom] = useState(isoToday());
  const [until, setUntil] = useState("");
  const [pause, setPause] = useState(false);
  const assignments = useAssignments(staff.staff_number);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const chosen = assignments.open.filter((a) => !left.has(a.id)).map((a) => a.id);
  const set = { by, from, until, pause, ...(left.size > 0 && { assignments: chosen }) };
  const operations: Operation[] =
    by && until && chosen.length > 0 ? [{ op: "staff.cover", on: staff.staff_number, set }] : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`${staff.given_name} ${staff.family_name} is absent`}
      about="A colleague gets the same assignments for these days. It ends by itself."
    >
      <div className="mb-4 grid gap-3 sm:grid-cols-2">
        <div className="sm:col-span-2">
          <PersonField label="Who covers" required value={by} onChosen={setBy} />
        </div>
        <DateField
          label="First day of the absence"
          type="date"
          required
          value={from}
          onChange={(e) => setFrom(e.target.value)}
        />
        <DateField
          label="Last day of the absence"
          type="date"
          required
          value={until}
          onChange={(e) => setUntil(e.target.value)}
        />
        <div className="sm:col-span-2">
          <AssignmentChoice legend="What is covered" of={assignments} left={left} leave={setLeft} />
        </div>
        <label className="flex items-start gap-2.5 sm:col-span-2">
          <input
            type="checkbox"
            checked={pause}
            onChange={(e) => setPause(e.target.checked)}
            className="mt-1 size-4 accent-damson"
          />
          <span>
            {staff.given_name}’s own assignments do not count on these days
            <span className="block text-sm text-faded">They count again on the day after.</span>
          </span>
        </label>
      </div>
      <Reasoned operations={operations} button="Have it covered" close={close} />
    </Ask>
  );
}
