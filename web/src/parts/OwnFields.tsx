import { useQuery } from "@tanstack/react-query";
import type { Refusal, Schema } from "@/api/api";
import { read } from "@/api/read";
import { Combobox } from "./Combobox";
import { DateField } from "./DateField";
import { SelectField, TextField } from "./fields";
import { day } from "./words";

type OwnField = Schema["RecordField"];
type Own = Record<string, string>;

/** The fields of people's records that are of the organisation's own making, of those the reader may see. */
export const useOwnFields = () =>
  useQuery({ ...read("/fields", { query: { limit: 30 } }), staleTime: 60_000 }).data?.items ?? [];

/** What stands in one, as it is read. */
export const ownValue = (field: OwnField, own: Own | undefined) =>
  field.kind === "date" ? day(own?.[field.key]) : own?.[field.key];

/** Those of somebody's record, to be written. */
export function OwnFields({
  fields,
  own,
  onChange,
  wrong,
}: {
  fields: OwnField[];
  own: Own;
  onChange: (written: Own) => void; // of one field
  wrong: Refusal | undefined;
}) {
  return fields.map((field) => {
    const tied = {
      label: field.name,
      ...(field.says && { hint: field.says }),
      ...(field.required ? { required: true } : { optional: true }),
      value: own[field.key] ?? "",
      onChange: (e: { target: { value: string } }) => onChange({ [field.key]: e.target.value }),
      // What nobody has come to yet is not wrong.
      ...(field.key in own && wrong?.field(`own.${field.key}`) && { error: wrong.field(`own.${field.key}`)! }),
    };
    switch (field.kind) {
      case "date":
        return <DateField key={field.key} type="date" {...tied} />;
      case "choice":
        return (
          <SelectField key={field.key} {...tied}>
            <option value="">{field.required ? "Choose one" : "None"}</option>
            {field.choices?.map((choice) => (
              <option key={choice}>{choice}</option>
            ))}
          </SelectField>
        );
      default:
        return (
          <TextField
            key={field.key}
            {...tied}
            maxLength={200}
            inputMode={field.kind === "number" ? "decimal" : undefined}
          />
        );
    }
  });
}

/** A text that others have too: what they have is offered, and any other is taken. */
export function CommonField({
  of,
  label,
  value,
  onChange,
  error,
}: {
  of: "job_title" | "employer";
  label: string;
  value: string;
  onChange: (e: { target: { value: string } }) => void;
  error?: string | undefined;
}) {
  const common = useQuery({ ...read("/staff/values", { query: { field: of, limit: 500 } }), staleTime: 60_000 });
  return (
    <Combobox
      label={label}
      optional
      free
      maxLength={120}
      value={value}
      onChange={onChange}
      {...(error && { error })}
      options={common.data?.items.map((v) => ({ value: v.value, label: v.value, note: `${v.count}` }))}
    />
  );
}
