import { useQuery } from "@tanstack/react-query";
import { Plus, X } from "lucide-react";
import type { Schema } from "@/api/api";
import { read } from "@/api/read";
import { Button } from "./Button";
import { Combobox } from "./Combobox";
import { inputLook, SelectField, TextField } from "./fields";

export type Rule = { days: string[]; from: string; until: string };

const week = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"];
const names: Record<string, string> = {
  mon: "Mon",
  tue: "Tue",
  wed: "Wed",
  thu: "Thu",
  fri: "Fri",
  sat: "Sat",
  sun: "Sun",
};

export const spelled = (rules: Schema["HoursRule"][] | undefined): Rule[] =>
  (rules ?? []).map((r) => ({ days: r.days.split(","), from: r.from, until: r.until }));
export const written = (rules: Rule[]) => rules.map((r) => ({ ...r, days: r.days.join(",") }));
export const whole = (rules: Rule[]) => rules.every((r) => r.days.length > 0 && r.from && r.until);

export function Rules({ rules, onChange, label }: { rules: Rule[]; onChange: (rules: Rule[]) => void; label: string }) {
  const put = (i: number, next: Partial<Rule>) => onChange(rules.map((r, at) => (at === i ? { ...r, ...next } : r)));
  return (
    <ul className="space-y-1.5" aria-label={label}>
      {rules.map((r, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: rules have no name of their own
        <li key={i} className="flex flex-wrap items-center gap-x-2 gap-y-1">
          {week.map((d) => (
            <label
              key={d}
              className={`cursor-pointer rounded-sm border px-1.5 py-0.5 text-sm has-focus-visible:outline-2 has-focus-visible:outline-damson ${r.days.includes(d) ? "border-damson bg-damson text-sheet" : "border-edge bg-sheet"}`}
            >
              <input
                type="checkbox"
                className="sr-only"
                checked={r.days.includes(d)}
                onChange={(e) =>
                  put(i, { days: week.filter((o) => (o === d ? e.target.checked : r.days.includes(o))) })
                }
              />
              {names[d]}
            </label>
          ))}
          <span className="w-20">
            <input
              aria-label="Opens at"
              className={inputLook}
              pattern="[0-2][0-9]:[0-5][0-9]"
              placeholder="06:00"
              required
              value={r.from}
              onChange={(e) => put(i, { from: e.target.value })}
            />
          </span>
          to
          <span className="w-20">
            <input
              aria-label="Closes at"
              className={inputLook}
              pattern="[0-2][0-9]:[0-5][0-9]"
              placeholder="18:00"
              required
              value={r.until}
              onChange={(e) => put(i, { until: e.target.value })}
            />
          </span>
          <Remove what="these hours" onClick={() => onChange(rules.filter((_, at) => at !== i))} />
        </li>
      ))}
      <li>
        <Button
          look="quiet"
          className="min-h-0 px-1"
          onClick={() => onChange([...rules, { days: [], from: "", until: "" }])}
        >
          <Plus size={14} aria-hidden /> Hours
        </Button>
      </li>
    </ul>
  );
}

export function Remove({ what, onClick }: { what: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={`Take away ${what}`}
      onClick={onClick}
      className="rounded-sm border border-edge bg-sheet p-1.5 hover:bg-inset"
    >
      <X size={16} aria-hidden />
    </button>
  );
}

/** Takes public holidays, or all hours, from an iCalendar file: shown as they would be first. */

export type Access = Schema["AccessHours"];

export function useSchedules({ retired = false } = {}) {
  const which = retired ? "all" : "false";
  return useQuery({
    ...read("/schedules", { query: { limit: 500, retired: which } }),
    staleTime: 30_000,
  });
}

/**
 * When somebody is let in: at all times, as the place opens, by weekly hours of its own, or by a schedule. Those of a
 * schedule itself have nothing to inherit.
 */
export function AccessField({
  value,
  onChange,
  inherit,
}: {
  value: Access;
  onChange: (hours: Access) => void;
  inherit?: string;
}) {
  const kind = value.kind ?? "";
  const schedules = useSchedules({ retired: true });
  const shown = schedules.data?.items.filter((c) => !c.retired || c.code === value.schedule) ?? [];
  const chosen = shown.find((c) => c.code === value.schedule);
  const begin: Record<string, Access> = {
    "": {},
    always: { kind: "always" },
    opening: { kind: "opening", before_minutes: 0, after_minutes: 0 },
    schedule: { kind: "schedule", schedule: shown[0]?.code ?? "" },
    weekly: { kind: "weekly", rules: written([{ days: week.slice(0, 5), from: "06:00", until: "14:00" }]) },
  };
  const minutes = (name: "before_minutes" | "after_minutes", label: string) => (
    <TextField
      label={label}
      type="number"
      min={0}
      max={720}
      value={value[name] ?? 0}
      onChange={(e) => onChange({ ...value, [name]: Number(e.target.value) })}
    />
  );
  return (
    <fieldset className="col-span-2 grid grid-cols-2 gap-3">
      <SelectField
        label="Access hours"
        className="col-span-2"
        value={kind}
        onChange={(e) => onChange(begin[e.target.value] ?? {})}
      >
        {inherit !== undefined && <option value="">{inherit}</option>}
        {inherit !== undefined && (shown.length > 0 || kind === "schedule") && (
          <option value="schedule">Those of a schedule</option>
        )}
        <option value="always">At all times</option>
        <option value="opening">As the place opens, earlier and later by</option>
        <option value="weekly">Weekly hours of its own</option>
      </SelectField>
      {kind === "schedule" && (
        <Combobox
          label="Schedule"
          required
          className="col-span-2"
          value={value.schedule ?? ""}
          onChange={(e) => onChange({ kind: "schedule", schedule: e.target.value })}
          hint={chosen?.hours_words}
          options={shown.map((c) => ({ value: c.code, label: c.name, note: c.retired ? "retired" : c.code }))}
        />
      )}
      {kind === "opening" && minutes("before_minutes", "Minutes earlier")}
      {kind === "opening" && minutes("after_minutes", "Minutes later")}
      {kind === "weekly" && (
        <div className="col-span-2">
          <Rules
            label="Weekly access hours"
            rules={spelled(value.rules)}
            onChange={(rules) => onChange({ kind: "weekly", rules: written(rules) })}
          />
        </div>
      )}
    </fieldset>
  );
}

export const sameAccess = (a: Access, b: Access) => JSON.stringify(a) === JSON.stringify(b);
