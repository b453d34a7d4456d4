import { useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { type Operation, Refusal, type Staff } from "@/api/api";
import { preview } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Reasoned } from "@/parts/change";
import { DateField } from "@/parts/DateField";
import { SelectField, TextField } from "@/parts/fields";
import { useMerging } from "@/parts/merging";
import { CommonField, OwnFields, useOwnFields } from "@/parts/OwnFields";
import { PersonField } from "@/parts/PersonField";
import { engagementWord } from "@/parts/words";

const firstOf = (staff: Staff) => ({
  given_name: staff.given_name,
  family_name: staff.family_name,
  known_as: staff.known_as ?? "",
  email: staff.email ?? "",
  phone: staff.phone ?? "",
  job_title: staff.job_title ?? "",
  engagement: staff.engagement as string,
  employer: staff.employer ?? "",
  line_manager: staff.line_manager?.staff_number ?? "",
  start_date: staff.start_date,
  contract_end: staff.contract_end ?? "",
  external_id: staff.external_id ?? "",
  driving_licence: staff.driving_licence ?? "",
  insurance_number: staff.insurance_number ?? "",
  emergency_contact: staff.emergency_contact ?? "",
  emergency_phone: staff.emergency_phone ?? "",
  notes: staff.notes ?? "",
});
type Form = ReturnType<typeof firstOf>;

/** Changes what somebody's record says. */
export function RecordDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const { form, put, changed: edited, theirs } = useMerging(firstOf(staff));
  const own = useMerging<Record<string, string>>(staff.own ?? {});
  const fields = useOwnFields();
  const changed: Record<string, unknown> = {
    ...edited,
    ...(Object.keys(own.changed).length > 0 && { own: own.changed }),
  };
  const written: Operation[] = Object.keys(changed).length
    ? [
        {
          op: "staff.edit",
          on: staff.staff_number,
          if_revision: Number(staff.etag.replace(/\D/g, "")),
          set: changed,
        },
      ]
    : [];
  const operations = JSON.parse(useDeferredValue(JSON.stringify(written))) as Operation[];
  const tried = useQuery({ ...preview(operations), enabled: operations.length > 0 });
  const wrong = tried.error instanceof Refusal ? tried.error : undefined;
  const field = (name: keyof Form) => ({
    value: form[name],
    ...(wrong?.field(name) && { error: wrong.field(name)! }),
    ...theirs(name),
    onChange: (e: { target: { value: string } }) => put({ [name]: e.target.value }),
  });
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title="Change the record"
      about={`${staff.staff_number}. The staff number stays with the person.`}
    >
      <div className="mb-4 grid grid-cols-2 gap-3">
        <TextField label="Given name" required maxLength={80} {...field("given_name")} />
        <TextField label="Family name" required maxLength={80} {...field("family_name")} />
        <TextField label="Known as" optional maxLength={80} {...field("known_as")} />
        <CommonField of="job_title" label="Job title" {...field("job_title")} />
        <TextField label="Work email" optional type="email" maxLength={254} {...field("email")} />
        <TextField label="Phone" optional type="tel" maxLength={40} {...field("phone")} />
        <SelectField label="Engagement" {...field("engagement")}>
          {Object.entries(engagementWord).map(([k, w]) => (
            <option key={k} value={k}>
              {w}
            </option>
          ))}
        </SelectField>
        <CommonField of="employer" label="Employer" {...field("employer")} />
        <DateField label="Start" type="date" required {...field("start_date")} />
        <DateField label="Contract end" type="date" optional {...field("contract_end")} />
        <PersonField
          label="Line manager"
          optional
          value={form.line_manager}
          onChosen={(line_manager) => put({ line_manager })}
          error={wrong?.field("line_manager")}
        />
        <TextField
          label="External id"
          optional
          maxLength={64}
          hint="Their number in another system."
          {...field("external_id")}
        />
        <TextField label="Emergency contact" optional maxLength={120} {...field("emergency_contact")} />
        <TextField label="Emergency phone" optional type="tel" maxLength={40} {...field("emergency_phone")} />
        <TextField
          label="Driving licence"
          optional
          maxLength={64}
          hint="Number and classes. Work that depends on it asks for a qualification."
          {...field("driving_licence")}
        />
        <TextField
          label="Insurance number"
          optional
          maxLength={64}
          hint="Seen by those who change records."
          {...field("insurance_number")}
        />
        <OwnFields fields={fields} own={own.form} onChange={own.put} wrong={wrong} />
        <TextField label="Notes" optional className="col-span-2" maxLength={2000} {...field("notes")} />
      </div>
      <Reasoned operations={operations} button="Keep the changes" close={close} />
    </Ask>
  );
}
