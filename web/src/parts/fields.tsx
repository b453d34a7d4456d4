import { type ComponentProps, type ReactNode, useId } from "react";

export type FieldProps = { label: string; hint?: ReactNode; error?: string; optional?: boolean; className?: string };

/** A label with its input, hint and error, tied together for screen readers. */
export function Field({
  label,
  hint,
  error,
  optional,
  className = "",
  children,
}: FieldProps & { children: (tie: { id: string; "aria-describedby"?: string; "aria-invalid"?: true }) => ReactNode }) {
  const id = useId();
  const about = hint || error ? `${id}-about` : undefined;
  return (
    <div className={className}>
      <label htmlFor={id} className="mb-0.5 block text-sm font-semibold">
        {label}
        {optional && <span className="font-normal text-faded"> (optional)</span>}
      </label>
      {children({ id, "aria-describedby": about, ...(error ? { "aria-invalid": true as const } : {}) })}
      {about && (
        <p id={about} className={`mt-0.5 text-sm ${error ? "font-medium text-shut" : "text-faded"}`}>
          {error ?? hint}
        </p>
      )}
    </div>
  );
}

export const inputLook =
  "min-h-9 w-full rounded-sm border border-edge bg-sheet px-2.5 aria-invalid:border-shut aria-invalid:border-2";

export function TextField({
  label,
  hint,
  error,
  optional,
  className,
  ...rest
}: FieldProps & Omit<ComponentProps<"input">, "className">) {
  return (
    <Field {...{ label, hint, error, optional, className }}>
      {(tie) => <input {...tie} {...rest} autoComplete={rest.autoComplete ?? "off"} className={inputLook} />}
    </Field>
  );
}

export function SelectField({
  label,
  hint,
  error,
  optional,
  className,
  children,
  ...rest
}: FieldProps & Omit<ComponentProps<"select">, "className">) {
  return (
    <Field {...{ label, hint, error, optional, className }}>
      {(tie) => (
        <select {...tie} {...rest} className={inputLook}>
          {children}
        </select>
      )}
    </Field>
  );
}

/** A filter beside a list, with its label above it. The filter names itself to readers of the screen. */
export const Filter = ({ label, children }: { label: string; children: ReactNode }) => (
  <div className="min-w-0">
    <span aria-hidden className="block text-sm leading-5 text-faded">
      {label}
    </span>
    {children}
  </div>
);

/** Narrows a list by words; empty, it narrows nothing. */
export function SearchBox({
  label,
  hint,
  value,
  onChange,
}: {
  label: string;
  hint: string;
  value: string | undefined;
  onChange: (words: string | undefined) => void;
}) {
  return (
    <Filter label={label}>
      <input
        aria-label={label}
        placeholder={hint}
        value={value ?? ""}
        onChange={(e) => onChange(e.target.value || undefined)}
        className={inputLook}
      />
    </Filter>
  );
}

/** Narrows a list by one of several; the first, without a value, narrows nothing. */
export function Choice<T extends string>({
  label,
  value,
  onChange,
  children,
}: {
  label: string;
  value: T | undefined;
  onChange: (chosen: T | undefined) => void;
  children: ReactNode;
}) {
  return (
    <Filter label={label}>
      <select
        aria-label={label}
        value={value ?? ""}
        onChange={(e) => onChange((e.target.value as T) || undefined)}
        className={inputLook}
      >
        {children}
      </select>
    </Filter>
  );
}
