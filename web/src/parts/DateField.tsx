import { CalendarDays } from "lucide-react";
import { Popover } from "radix-ui";
import { type ComponentProps, useEffect, useRef, useState } from "react";
import { readDay, readMoment, writeDay, writeMoment } from "./dates";
import { Field, type FieldProps, inputLook } from "./fields";
import { late } from "./late";
import { isElsewhere, ownZone, wallOf, zoneName } from "./words";

const Calendar = late(async () => (await import("./Calendar")).default, "part");

/** The day that it is now, in a time zone. */
const today = (zone: string) => wallOf(new Date(), zone).slice(0, 10);

/**
 * A day, or a moment, that is typed in any usual form or chosen from a calendar. It takes and gives ISO 8601 dates, and
 * for moments local ones to the minute, as the browser's own fields do; what is no date gives none and is not submitted.
 * With a zone it takes a moment as of there, and names it where the reader's own is another.
 */
export function DateField({
  label,
  hint,
  error,
  optional,
  className,
  type,
  value,
  onChange,
  zone,
  ...rest
}: FieldProps &
  Omit<ComponentProps<"input">, "className" | "onChange" | "value" | "type"> & {
    type: "date" | "datetime-local";
    zone?: string | undefined;
    value: string;
    onChange: (e: { target: { value: string } }) => void;
  }) {
  const input = useRef<HTMLInputElement>(null);
  const [typed, setTyped] = useState<string>();
  const [open, setOpen] = useState(false);
  const moment = type === "datetime-local";
  const now = today(zone || ownZone);
  const clock = moment && isElsewhere(zone) && zoneName(zone);
  const read = moment ? readMoment : readDay;
  const written = value && (moment ? writeMoment(value) : writeDay(value));
  const text = typed ?? written;
  const wrong =
    typed?.trim() && !read(typed, now)
      ? `Write it as ${moment ? "24 Dec 2026 06:00" : "24 Dec 2026, or 24.12.2026"}.`
      : undefined;
  useEffect(() => input.current?.setCustomValidity(wrong ?? ""), [wrong]);
  const give = (day: string) => onChange({ target: { value: day } });
  const reading = typed?.trim() && !wrong && written !== typed ? written : undefined;
  return (
    <Field
      {...{ label, optional, className }}
      error={wrong ?? error}
      hint={clock ? [`In ${clock}.`, hint].filter(Boolean).join(" ") : hint}
    >
      {(tie) => (
        <div className="relative">
          <input
            {...tie}
            {...rest}
            ref={input}
            autoComplete="off"
            placeholder={moment ? "24 Dec 2026 06:00" : "24 Dec 2026"}
            className={`${inputLook} pr-9 placeholder:text-faded/70`}
            value={text}
            onChange={(e) => {
              setTyped(e.target.value);
              give(read(e.target.value, now) ?? "");
            }}
            onBlur={() => !wrong && setTyped(undefined)}
          />
          {reading && ( // above what is below: nothing moves when it goes, least of all what is being clicked
            <p className="pointer-events-none absolute top-full left-0 z-10 rounded-b-sm bg-inset px-2 py-0.5 text-sm shadow">
              Read as {reading}
              {clock && ` ${clock}`}
            </p>
          )}
          <Popover.Root open={open} onOpenChange={setOpen}>
            <Popover.Trigger
              type="button"
              disabled={rest.disabled}
              aria-label={`Calendar for ${label}`}
              className="absolute inset-y-0 right-0 flex w-9 items-center justify-center text-faded hover:text-ink"
            >
              <CalendarDays size={17} aria-hidden />
            </Popover.Trigger>
            <Popover.Portal>
              <Popover.Content
                align="end"
                sideOffset={4}
                aria-label={`Calendar for ${label}`}
                className="z-50 rounded-sm border border-edge bg-sheet shadow-lg"
              >
                <Calendar
                  day={value.slice(0, 10) || undefined}
                  choose={(day) => {
                    give(moment ? `${day}T${value.slice(11, 16) || "00:00"}` : day);
                    setTyped(undefined);
                    setOpen(false);
                  }}
                />
              </Popover.Content>
            </Popover.Portal>
          </Popover.Root>
        </div>
      )}
    </Field>
  );
}
