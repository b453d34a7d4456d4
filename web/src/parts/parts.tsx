import { useMutation } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { AlertTriangle, Check, ChevronRight, Clock, DoorOpen, Download, Lock, UserX } from "lucide-react";
import { Collapsible, Dialog } from "radix-ui";
import { type ComponentProps, type ReactNode, useId } from "react";
import { download, Refusal, type Schema, type Staff } from "@/api/api";

const looks = {
  main: "bg-damson text-sheet border-damson hover:bg-damson-deep",
  plain: "bg-sheet text-ink border-edge hover:bg-inset",
  grave: "bg-sheet text-shut border-shut hover:bg-shut-wash",
  quiet: "border-transparent text-damson underline decoration-brass-light underline-offset-4 hover:decoration-damson",
};

/** What makes a button, or a link that leads to an act, look like one. */
export const buttonLook = (look: keyof typeof looks = "plain") =>
  `inline-flex min-h-9 items-center justify-center gap-1.5 rounded-sm border px-3.5 font-[550] disabled:opacity-55 ${looks[look]}`;

export function Button({
  look = "plain",
  className = "",
  ...rest
}: ComponentProps<"button"> & { look?: keyof typeof looks }) {
  return <button type="button" className={`${buttonLook(look)} ${className}`} {...rest} />;
}

const xlsx = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";
/** What a list is taken along as, besides CSV. */
const others = [
  { name: "XLSX", type: xlsx, ending: ".xlsx" },
  { name: "PDF", type: "application/pdf", ending: ".pdf" },
];

/** A button that takes something along as a file, and says why where it can't: a list, where nothing else is said, as CSV or as a workbook. */
export function TakeAlong({
  from,
  query,
  file,
  type,
  children = "CSV",
  icon: Icon = Download,
  ...rest
}: Omit<ComponentProps<typeof Button>, "type"> & {
  from: string;
  query?: Record<string, string | number | boolean>;
  file: string;
  type?: string;
  icon?: typeof Download;
}) {
  const taking = useMutation({
    mutationFn: (as: string | undefined) =>
      download(from, file.replace(/\.csv$/, others.find((o) => o.type === as)?.ending ?? ".csv"), { query, type: as }),
  });
  const list = !type && file.endsWith(".csv");
  return (
    <>
      <span className="inline-flex">
        <Button
          {...rest}
          className={list ? "rounded-r-none" : ""}
          onClick={() => taking.mutate(type)}
          disabled={rest.disabled || taking.isPending}
        >
          <Icon size={16} aria-hidden /> {children}
        </Button>
        {list &&
          others.map((o, i) => (
            <Button
              {...rest}
              key={o.name}
              className={`-ml-px rounded-l-none ${i < others.length - 1 ? "rounded-r-none" : ""}`}
              onClick={() => taking.mutate(o.type)}
              disabled={rest.disabled || taking.isPending}
            >
              {o.name}
            </Button>
          ))}
      </span>
      {taking.error && (
        <div className="order-last basis-full">
          <Wrong error={taking.error} />
        </div>
      )}
    </>
  );
}

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
      <label htmlFor={id} className="mb-0.5 block text-sm font-[600]">
        {label}
        {optional && <span className="font-normal text-faded"> (optional)</span>}
      </label>
      {children({ id, "aria-describedby": about, ...(error ? { "aria-invalid": true as const } : {}) })}
      {about && (
        <p id={about} className={`mt-0.5 text-sm ${error ? "font-[550] text-shut" : "text-faded"}`}>
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
    <input
      aria-label={label}
      placeholder={hint}
      value={value ?? ""}
      onChange={(e) => onChange(e.target.value || undefined)}
      className={inputLook}
    />
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
    <select
      aria-label={label}
      value={value ?? ""}
      onChange={(e) => onChange((e.target.value as T) || undefined)}
      className={inputLook}
    >
      {children}
    </select>
  );
}

const marks = {
  active: { icon: Check, look: "text-open bg-open-wash", word: "Active" },
  prepared: { icon: Clock, look: "text-soon bg-soon-wash", word: "Prepared" },
  left: { icon: UserX, look: "text-faded bg-inset", word: "Left" },
  locked: { icon: Lock, look: "text-shut bg-shut-wash", word: "Locked" },
  stuck: { icon: AlertTriangle, look: "text-soon bg-soon-wash", word: "Not ready" },
  wrong: { icon: AlertTriangle, look: "text-shut bg-shut-wash", word: "Wrong" },
  open: { icon: DoorOpen, look: "text-open bg-open-wash", word: "Allowed" },
  shut: { icon: Lock, look: "text-shut bg-shut-wash", word: "Refused" },
};

/** A status: icon, word and colour together. */
export function Mark({ of, children }: { of: keyof typeof marks; children?: ReactNode }) {
  const { icon: Icon, look, word } = marks[of];
  return (
    <span
      className={`inline-flex items-center gap-1 rounded-sm px-1.5 py-px text-sm font-[600] whitespace-nowrap ${look}`}
    >
      <Icon size={14} aria-hidden />
      {children ?? word}
    </span>
  );
}

export function StaffMark({ staff }: { staff: Pick<Staff, "status" | "lock"> }) {
  return staff.lock ? <Mark of="locked" /> : <Mark of={staff.status} />;
}

/** What went wrong, in the service's own sentence. */
export function Wrong({ error }: { error: unknown }) {
  if (!error) return null;
  const text =
    error instanceof Refusal ? error.message : "Something went wrong in this page. Reload it; nothing was changed.";
  return (
    <p role="alert" className="flex gap-2 rounded-sm border border-shut bg-shut-wash px-3 py-2 font-[550] text-shut">
      <AlertTriangle size={18} className="mt-0.5 shrink-0" aria-hidden />
      {text}
    </p>
  );
}

export function Loading() {
  return (
    <p role="status" className="py-6 text-faded">
      Reading…
    </p>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return <div className="rounded-md border border-dashed border-edge px-4 py-6 text-faded">{children}</div>;
}

export function Page({
  title,
  lead,
  acts,
  children,
}: {
  title: string;
  lead?: ReactNode;
  acts?: ReactNode;
  children: ReactNode;
}) {
  return (
    <main id="page" className="mx-auto max-w-[78rem] px-5 pt-6 pb-16">
      <title>{`${title} · Loyal Latch`}</title>
      <div className="mb-5 flex flex-wrap items-end justify-between gap-x-6 gap-y-3">
        <div>
          <h1>{title}</h1>
          {lead && <div className="mt-1 text-faded">{lead}</div>}
        </div>
        {acts && <div className="flex flex-wrap gap-2 sm:justify-end">{acts}</div>}
      </div>
      {children}
    </main>
  );
}

export function Section({
  title,
  note,
  children,
  className = "",
}: {
  title: string;
  note?: ReactNode;
  children: ReactNode;
  className?: string;
}) {
  const id = useId();
  return (
    <section aria-labelledby={id} className={className}>
      <div className="mb-2 flex items-baseline justify-between gap-3 border-b-2 border-brass-light pb-1">
        <h2 id={id}>{title}</h2>
        {note && <span className="text-sm text-faded">{note}</span>}
      </div>
      {children}
    </section>
  );
}

/** A dialog that asks one thing. */
export function Ask({
  open,
  onOpenChange,
  title,
  about,
  wide,
  children,
}: {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  title: string;
  about: ReactNode;
  wide?: boolean;
  children: ReactNode;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-damson-deep/45" />
        <Dialog.Content
          className={`fixed top-[10vh] left-1/2 z-50 max-h-[82vh] ${wide ? "w-[min(46rem,calc(100vw-2rem))]" : "w-[min(34rem,calc(100vw-2rem))]"} -translate-x-1/2 overflow-auto rounded-md border-t-4 border-brass-light bg-sheet p-6 shadow-raised`}
        >
          <Dialog.Title className="text-xl font-[650]">{title}</Dialog.Title>
          <Dialog.Description asChild>
            <div className="mt-1 mb-4 text-faded">{about}</div>
          </Dialog.Description>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

export function Grounds({ grounds }: { grounds: Schema["Ground"][] }) {
  if (!grounds.length) return null;
  return (
    <dl className="grid grid-cols-[7.5rem_1fr] gap-x-3 gap-y-1 text-[0.95rem]">
      {grounds.map((g) => (
        <div key={`${g.kind} ${g.text}`} className="contents">
          <dt className="text-faded first-letter:uppercase">{g.kind}</dt>
          <dd>{g.text}</dd>
        </div>
      ))}
    </dl>
  );
}

/** A sentence about what somebody can do, which opens to what it rests on. */
export function Statement({ statement }: { statement: Schema["Statement"] }) {
  return (
    <Collapsible.Root className="border-b border-rule py-3 last:border-b-0">
      <Collapsible.Trigger className="group flex w-full gap-2 text-left">
        <ChevronRight
          size={18}
          className="mt-1 shrink-0 text-brass transition-transform group-data-[state=open]:rotate-90"
          aria-hidden
        />
        <span className={`sentence ${statement.when === "past" ? "text-faded" : ""}`}>
          {statement.sentence} {statement.further}
        </span>
      </Collapsible.Trigger>
      <Collapsible.Content className="mt-2 ml-6.5 space-y-3 border-l-2 border-brass-light pl-4">
        <Grounds grounds={statement.grounds} />
        {statement.doors.length > 0 && (
          <p className="text-[0.95rem]">
            <span className="text-faded">Doors: </span>
            {statement.doors.map((d) => d.name).join(", ")}
          </p>
        )}
        {statement.abilities.length > 0 && (
          <ul className="text-[0.95rem]">
            {statement.abilities.map((a) => (
              <li key={a.permission} className="border-t border-rule py-1 first:border-t-0">
                <span className="font-[550] first-letter:uppercase inline-block">{a.words}</span>
                {a.sensitive && <span className="ml-2 text-sm font-[600] text-soon">sensitive</span>}
                <span className="block text-sm text-faded">{a.setting}</span>
              </li>
            ))}
          </ul>
        )}
      </Collapsible.Content>
    </Collapsible.Root>
  );
}

/** Something generated, on show once. */
export function SecretSlip({ secret }: { secret: Schema["Secret"] }) {
  const name = { pin: "PIN", password: "First password", device_token: "Token" }[secret.kind];
  return (
    <div className="rounded-sm border-2 border-dashed border-brass bg-soon-wash px-4 py-3">
      <p className="text-sm font-[600] text-soon">
        {name} of {secret.owner}, shown this once
      </p>
      <p data-secret={secret.kind} className="text-2xl font-[650] tracking-[0.12em] select-all">
        {secret.value}
      </p>
      <p className="text-sm text-faded">Hand it over now. It is kept nowhere; if it is lost, issue a new one.</p>
    </div>
  );
}

/** PINs of several people, on show once. */
export function PINTable({ pins }: { pins: { staff_number: string; name?: string; pin: string }[] }) {
  return (
    <table className="block max-h-72 overflow-auto text-[0.95rem]">
      <tbody>
        {pins.map((p) => (
          <tr key={p.staff_number} className="border-t border-brass-light first:border-t-0">
            <td className="py-0.5 pr-3">{p.staff_number}</td>
            {p.name && <td className="py-0.5 pr-3">{p.name}</td>}
            <td className="py-0.5 font-[650] tracking-[0.1em]" data-secret="pin">
              {p.pin}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** How many people: "1 person", "1,200 people". */
export const people = (n: number) => (n === 1 ? "1 person" : `${n.toLocaleString("en-IE")} people`);

/** Pages that belong together, as a second row under the title of each. */
export function Tabs({ label, tabs }: { label: string; tabs: { to: string; name: string; shown?: boolean }[] }) {
  return (
    <nav aria-label={label} className="mb-5 -mt-1 flex gap-1 overflow-x-auto border-b border-rule print:hidden">
      {tabs
        .filter((t) => t.shown !== false)
        .map((t) => (
          <Link
            key={t.to}
            to={t.to}
            activeOptions={{ exact: t.to === "/" }}
            className="border-b-[3px] border-transparent px-3 pt-1 pb-1.5 hover:border-brass-light data-[status=active]:border-damson data-[status=active]:font-[650]"
          >
            {t.name}
          </Link>
        ))}
    </nav>
  );
}

/** A date as people here write it. */
export function day(iso: string | undefined): string {
  if (!iso) return "";
  const [year, month, date] = iso.slice(0, 10).split("-").map(Number);
  return new Date(Date.UTC(year!, month! - 1, date)).toLocaleDateString("en-IE", {
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone: "UTC",
  });
}

/** How many a list holds; long logs are counted up to a bound. */
export function counted(list: { total: number; more?: boolean } | undefined): string {
  return `${list?.more ? "more than " : ""}${(list?.total ?? 0).toLocaleString("en-IE")}`;
}

/** A moment, with its year where that is another than this one. */
export function moment(iso: string): string {
  const at = new Date(iso);
  return at.toLocaleString("en-IE", {
    day: "numeric",
    month: "short",
    ...(at.getFullYear() !== new Date().getFullYear() && { year: "numeric" }),
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
    hourCycle: "h23",
  });
}

/** The moment that a date and time, as typed into a form, means in a time zone; in the browser's own where none is known. */
export function instant(typed: string, zone?: string): string {
  if (!zone) return new Date(typed).toISOString();
  const wall = Date.parse(`${typed}Z`);
  let at = wall;
  for (let step = 0; step < 2; step++)
    at = wall - (Date.parse(`${new Date(at).toLocaleString("sv-SE", { timeZone: zone }).replace(" ", "T")}Z`) - at); // twice: a clock change may lie between
  return new Date(at).toISOString();
}

export const engagementWord: Record<string, string> = {
  employee: "Employee",
  agency: "Agency",
  contractor: "Contractor",
  seasonal: "Seasonal",
};
export const kindWord: Record<string, string> = {
  site: "Site",
  zone: "Zone",
  door: "Door",
  device: "Device",
  work_centre: "Work centre",
};
export const proofWord: Record<string, string> = {
  badge: "a badge",
  pin: "a PIN",
  badge_or_pin: "a badge or a PIN",
  badge_and_pin: "a badge and a PIN",
};
