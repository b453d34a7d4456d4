import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { placeOptions, siteOptions, templateOptions, usePlaces, useTemplates } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { inputLook, SelectField } from "@/parts/fields";
import { Wrong } from "@/parts/Wrong";
import { engagementWord } from "@/parts/words";
import { columnKinds, type Import, useEdit } from "./queries";

/** Which column of the file is what, and what holds for everybody. */
export function ColumnsPart({ of }: { of: Import }) {
  const kinds = useQuery(columnKinds);
  const edit = useEdit(of);
  const unread = of.columns.filter((c) => c.header && !c.column);
  const taken = of.columns.filter((c) => c.column).length;
  return (
    <details className="sheet px-5 py-3" open={of.faults.length > 0}>
      <summary className="cursor-pointer font-semibold">
        {taken} columns are read
        {unread.length > 0 && (
          <span className="font-normal text-faded">; not read: {unread.map((c) => c.header).join(", ")}</span>
        )}
      </summary>
      <p className="mt-1 mb-3 text-sm text-faded">Your choice for a column is remembered for your next file.</p>
      <table className="w-full text-dense">
        <thead>
          <tr className="border-b border-edge text-left text-sm">
            <th className="py-1 pr-3">In the file</th>
            <th className="py-1 pr-3">is</th>
            <th className="py-1">for example</th>
          </tr>
        </thead>
        <tbody>
          {of.columns.map((c, i) => (
            // Two columns may have the same name, and their order is theirs.
            // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
            <tr key={i} className="border-b border-rule">
              <td className="py-1 pr-3">{c.header || <span className="text-faded">(no name)</span>}</td>
              <td className="py-1 pr-3">
                <select
                  aria-label={`What “${c.header}” is`}
                  className={inputLook}
                  disabled={!c.header || of.state !== "open" || edit.isPending}
                  value={c.column}
                  onChange={(e) => edit.mutate({ columns: { [c.header]: e.target.value } })}
                >
                  <option value="">not read</option>
                  {kinds.data?.items.map((k) => (
                    <option key={k.name} value={k.name}>
                      {k.title}
                    </option>
                  ))}
                </select>
              </td>
              <td className="max-w-72 truncate py-1 text-faded">{c.example.filter(Boolean).join(" · ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <Wrong error={edit.error} />
    </details>
  );
}

/** What stands for an empty cell, and in which order dates are written. */
export function OtherwisePart({ of }: { of: Import }) {
  const places = usePlaces();
  const templates = useTemplates({ place: of.otherwise.place || of.otherwise.home_site });
  const edit = useEdit(of);
  const set = (name: string) => (value: string | undefined) => {
    const otherwise = { ...of.otherwise, [name]: value ?? "" };
    edit.mutate({ otherwise: Object.fromEntries(Object.entries(otherwise).filter(([, v]) => v)) });
  };
  const chosen = Object.keys(of.otherwise).length;
  return (
    <details className="sheet px-5 py-3" open={chosen > 0 || of.faults.length > 0}>
      <summary className="cursor-pointer font-semibold">
        For everybody{" "}
        <span className="font-normal text-faded">
          {chosen === 0 ? "where a cell is empty: nothing" : `where a cell is empty: ${chosen} said`}
        </span>
      </summary>
      <div className="mt-3 grid gap-3 sm:grid-cols-2 lg:grid-cols-3">
        <Combobox
          label="Home site"
          placeholder="as the row says"
          value={of.otherwise.home_site ?? ""}
          onChange={(e) => set("home_site")(e.target.value || undefined)}
          options={siteOptions(places.data)}
        />
        <Pick label="Engagement" value={of.otherwise.engagement} set={set("engagement")}>
          {Object.entries(engagementWord).map(([key, word]) => (
            <option key={key} value={key}>
              {word}
            </option>
          ))}
        </Pick>
        <Text label="Agency or employer" value={of.otherwise.employer} set={set("employer")} />
        <Combobox
          label="Works at"
          placeholder="as the row says"
          value={of.otherwise.place ?? ""}
          onChange={(e) => set("place")(e.target.value || undefined)}
          options={placeOptions(places.data)}
        />
        <Combobox
          label="Works as"
          placeholder="as the row says"
          value={of.otherwise.template ?? ""}
          onChange={(e) => set("template")(e.target.value || undefined)}
          options={templateOptions(templates.data?.items, { giving: true })}
        />
        <Pick label="PIN" value={of.otherwise.pin} set={set("pin")}>
          <option value="yes">Generate one for each</option>
        </Pick>
        {(["start_date", "contract_end"] as const).map((name) => (
          <DateField
            key={name}
            label={name === "start_date" ? "Start date" : "Contract end"}
            type="date"
            value={of.otherwise[name] ?? ""}
            onChange={(e) => set(name)(e.target.value || undefined)}
          />
        ))}
        <SelectField
          label="Dates such as 03/04/2027"
          value={of.date_order ?? ""}
          onChange={(e) => edit.mutate({ date_order: e.target.value as "" | "dmy" | "mdy" | "ymd" })}
        >
          <option value="">are asked about</option>
          <option value="dmy">day, month, year</option>
          <option value="mdy">month, day, year</option>
          <option value="ymd">year, month, day</option>
        </SelectField>
      </div>
      <Wrong error={edit.error} />
    </details>
  );
}

function Pick({
  label,
  value,
  set,
  children,
}: {
  label: string;
  value: string | undefined;
  set: (value: string | undefined) => void;
  children: React.ReactNode;
}) {
  return (
    <SelectField label={label} value={value ?? ""} onChange={(e) => set(e.target.value || undefined)}>
      <option value="">as the row says</option>
      {children}
    </SelectField>
  );
}

function Text({
  label,
  value,
  set,
}: {
  label: string;
  value: string | undefined;
  set: (value: string | undefined) => void;
}) {
  const [typed, setTyped] = useState(value ?? "");
  const changed = typed !== (value ?? "");
  return (
    <form
      className="flex items-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        set(typed || undefined);
      }}
    >
      <label className="grow text-sm font-semibold">
        {label}
        <input
          maxLength={120}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          className={`${inputLook} mt-0.5 font-normal`}
        />
      </label>
      {changed && (
        <Button type="submit" look="main">
          Set
        </Button>
      )}
    </form>
  );
}
