import { useState } from "react";
import type { Operation, Schema, Staff } from "@/api/api";
import { Ask } from "@/parts/Ask";
import { AssignmentFields, isoToday, useAssignmentChoices } from "@/parts/AssignmentFields";
import { ChangeDialog, Reasoned } from "@/parts/change";
import { DatesDialog } from "@/parts/DatesDialog";
import { type Access, AccessField, sameAccess } from "@/parts/rules";

/** Between which days, and at which hours, somebody works somewhere. */
export function AssignmentDialog({ assignment: a, close }: { assignment: Schema["Assignment"]; close: () => void }) {
  const first = a.hours ?? {};
  const [access, setAccess] = useState<Access>(first);
  return (
    <DatesDialog
      title={`${a.template_name} at ${a.place.name}`}
      about={`Between which days, and at which hours, ${a.staff.name} works there.`}
      op="assignment.edit"
      record={a}
      further={sameAccess(access, first) ? {} : { hours: access }}
      close={close}
    >
      <AccessField value={access} onChange={setAccess} inherit="Those of the person, else of the template" />
    </DatesDialog>
  );
}

/** At which hours somebody works in all assignments that do not say otherwise. */
export function StaffHoursDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const first = staff.hours ?? {};
  const [chosen, setAccess] = useState<Access>(); // where hours are chosen here; else they follow the record
  const access = chosen ?? first;
  const operations: Operation[] = sameAccess(access, first)
    ? []
    : [
        {
          op: "staff.hours",
          on: staff.staff_number,
          if_revision: Number(staff.etag.replace(/\D/g, "")),
          set: { hours: access },
        },
      ];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Access hours of ${staff.given_name} ${staff.family_name}`}
      about="They count in all assignments that state no hours themselves, in place of those of the templates."
    >
      <div className="mb-4">
        <AccessField value={access} onChange={setAccess} inherit="Those of the templates" />
      </div>
      <Reasoned operations={operations} button="Set the hours" close={close} />
    </Ask>
  );
}

export function EndDialog({ assignment, close }: { assignment: Schema["Assignment"]; close: () => void }) {
  return (
    <ChangeDialog
      title={`End ${assignment.template_name} at ${assignment.place.name}`}
      about={`${assignment.staff.name} loses at once what this assignment gives. It stays on record.`}
      operations={[{ op: "assignment.end", on: String(assignment.id) }]}
      button="End the assignment"
      grave
      close={close}
    />
  );
}

export function AssignDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const choices = useAssignmentChoices(
    staff.home_site.code,
    staff.contract_end ?? "",
    staff.start_date > isoToday() ? staff.start_date : isoToday(),
  );
  const operations: Operation[] =
    choices.place && choices.template
      ? [{ op: "assignment.add", set: { staff: staff.staff_number, ...choices.set } }]
      : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Assign ${staff.given_name} ${staff.family_name}`}
      about="Where they work, as what, and between which days."
    >
      <div className="mb-4">
        <AssignmentFields choices={choices} />
      </div>
      <Reasoned operations={operations} button="Assign" close={close} />
    </Ask>
  );
}
