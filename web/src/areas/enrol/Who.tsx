import { Link } from "@tanstack/react-router";
import { AlertTriangle, ChevronRight } from "lucide-react";
import { Collapsible } from "radix-ui";
import type { Refusal } from "@/api/api";
import { Combobox } from "@/parts/Combobox";
import { siteOptions, usePlaces } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { SelectField, TextField } from "@/parts/fields";
import { CommonField, OwnFields, useOwnFields } from "@/parts/OwnFields";
import { Section } from "@/parts/Page";
import { engagementWord } from "@/parts/words";
import { type Form, useDuplicates, useNextNumber } from "./form";

type Own = Record<string, string>;

/** Who somebody is, and who on record may be the same person. */
export function Who({
  form,
  setForm,
  own,
  setOwn,
  wrong,
}: {
  form: Form;
  setForm: (form: Form) => void;
  own: Own;
  setOwn: (own: Own) => void;
  wrong: Refusal | undefined;
}) {
  const fields = useOwnFields();
  const number = useNextNumber(form);
  const field = (name: keyof Form) => ({
    value: form[name],
    ...(wrong?.field(name) && { error: wrong.field(name)! }),
    onChange: (e: { target: { value: string } }) => setForm({ ...form, [name]: e.target.value }),
  });
  const { error: _, ...site } = field("home_site"); // said once there is a site to be wrong
  return (
    <Section title="1 · Who">
      <div className="grid grid-cols-2 gap-3">
        <TextField label="Given name" autoFocus required maxLength={80} {...field("given_name")} />
        <TextField label="Family name" required maxLength={80} {...field("family_name")} />
        <SelectField label="Engagement" {...field("engagement")}>
          {Object.entries(engagementWord).map(([key, word]) => (
            <option key={key} value={key}>
              {word}
            </option>
          ))}
        </SelectField>
        <CommonField
          of="employer"
          label={form.engagement === "agency" ? "Agency" : "Employer"}
          {...field("employer")}
        />
        <Combobox
          label="Home site"
          required
          placeholder="Choose a site"
          options={siteOptions(usePlaces().data)}
          {...site}
          {...(form.home_site && field("home_site"))}
        />
        <CommonField of="job_title" label="Job title" {...field("job_title")} />
        <DateField label="Start" type="date" required {...field("start_date")} />
        <DateField label="Contract end" optional type="date" {...field("contract_end")} />
        <OwnFields fields={fields.filter((f) => f.required)} own={own} onChange={setOwn} wrong={wrong} />
      </div>
      <Collapsible.Root className="mt-3">
        <Collapsible.Trigger className="group flex items-center gap-1 text-damson">
          <ChevronRight size={16} className="transition-transform group-data-[state=open]:rotate-90" aria-hidden />
          Email, phone, emergency contact and more
        </Collapsible.Trigger>
        <Collapsible.Content className="mt-2 grid grid-cols-2 gap-3">
          <TextField label="Work email" optional type="email" maxLength={254} {...field("email")} />
          <TextField label="Phone" optional type="tel" maxLength={40} {...field("phone")} />
          <TextField label="Emergency contact" optional maxLength={120} {...field("emergency_contact")} />
          <TextField label="Emergency phone" optional type="tel" maxLength={40} {...field("emergency_phone")} />
          <OwnFields fields={fields.filter((f) => !f.required)} own={own} onChange={setOwn} wrong={wrong} />
        </Collapsible.Content>
      </Collapsible.Root>
      {number.data && form.home_site && (
        <p className="mt-2 text-sm text-faded">
          The staff number will be <b className="text-ink">{number.data.staff_number}</b>.
        </p>
      )}
      <Duplicates form={form} />
    </Section>
  );
}

function Duplicates({ form }: { form: Form }) {
  const found = useDuplicates(form).data?.items ?? [];
  if (found.length === 0) return null;
  return (
    <div role="status" className="mt-3 rounded-sm border border-soon bg-soon-wash px-4 py-2.5">
      <p className="flex items-center gap-2 font-semibold">
        <AlertTriangle size={17} className="text-soon" aria-hidden /> Somebody on record may be the same person
      </p>
      <ul>
        {found.map((d) => (
          <li key={d.staff_number || "elsewhere"}>
            {!d.staff_number && `S${d.why.slice(1)}.`}
            {d.staff_number && (
              <>
                <Link
                  to="/staff/$number"
                  params={{ number: d.staff_number }}
                  className="font-semibold text-damson underline"
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
  );
}
