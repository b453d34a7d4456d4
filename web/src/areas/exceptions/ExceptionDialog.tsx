import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Operation } from "@/api/api";
import { read } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Combobox } from "@/parts/Combobox";
import { Reasoned } from "@/parts/change";
import { placeOptions, usePermissions, usePlaces } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { SelectField, TextField } from "@/parts/fields";
import { PersonField } from "@/parts/PersonField";

/** Adds or withholds one permission for one person at a place. What one may not give is shown with the reason. */
export function ExceptionDialog({
  staff = "",
  site = "",
  permission: wanted = "",
  name,
  close,
}: {
  staff?: string;
  site?: string;
  permission?: string;
  name?: string;
  close: () => void;
}) {
  const [who, setWho] = useState(staff);
  const [place, setPlace] = useState(site);
  const [permission, setPermission] = useState(wanted);
  const [picked, setLevel] = useState<string>();
  const [from, setFrom] = useState("");
  const [until, setUntil] = useState("");
  const places = usePlaces();
  const here = places.data?.find((p) => p.code === place);
  const permissions = usePermissions(here?.kind);
  const ceiling = useQuery({
    ...read("/me/ceiling", { query: { place } }),
    enabled: place !== "",
  });
  const held = new Map(ceiling.data?.items.map((c) => [c.permission, c]));
  const chosen = permissions.data?.items.find((p) => p.key === permission);
  const most = held.get(permission);
  const words =
    chosen?.scale.kind === "levels" ? chosen.scale.levels!.slice(1) : chosen?.scale.kind === "switch" ? ["yes"] : [];
  const level = picked ?? (wanted ? (words[0] ?? "") : "withhold"); // one that is wanted is to be added
  const beyond = (word: string) => !!most?.why_not && words.indexOf(word) > words.indexOf(most.level);
  const unable = most?.why_not && /^(no|none|0)$/.test(most.level) ? most.why_not : undefined;
  const complete = who !== "" && place !== "" && permission !== "" && level !== "" && !unable;
  const operations: Operation[] = complete
    ? [
        {
          op: "exception.add",
          set: {
            staff: who,
            place,
            permission,
            ...(level === "withhold" ? { withheld: true } : { level }),
            ...(from && { from }),
            ...(until && { until }),
          },
        },
      ]
    : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={name ? `An exception for ${name}` : "Make an exception"}
      about="One permission, added or withheld for one person at a place and below it. What is withheld wins over every template."
    >
      <div className="mb-4 grid grid-cols-2 gap-3">
        {!staff && (
          <div className="col-span-2">
            <PersonField label="Who" required value={who} onChosen={setWho} />
          </div>
        )}
        <Combobox
          label="Where"
          required
          className="col-span-2"
          value={place}
          onChange={(e) => setPlace(e.target.value)}
          placeholder="Choose a place"
          options={placeOptions(places.data)}
        />
        <Combobox
          label="What"
          required
          className="col-span-2"
          value={permission}
          onChange={(e) => setPermission(e.target.value)}
          error={unable}
          placeholder={here ? "Choose a permission" : "Choose a place first"}
          options={permissions.data?.items.map((p) => {
            const why = held.get(p.key)?.why_not;
            const none = !!why && /^(no|none|0)$/.test(held.get(p.key)!.level);
            return {
              value: p.key,
              label: p.title,
              note: none ? "not yours to give" : p.group_title,
              disabled: none,
            };
          })}
        />
        <SelectField
          label="Add or withhold"
          className="col-span-2"
          value={words.includes(level) || level === "withhold" ? level : "number"}
          onChange={(e) => setLevel(e.target.value === "number" ? "" : e.target.value)}
          hint={!unable ? most?.why_not : undefined}
        >
          <option value="withhold">Withhold it</option>
          {words.map((w) => (
            <option key={w} value={w} disabled={beyond(w)}>
              Add it{w !== "yes" && `: ${w}`}
            </option>
          ))}
          {chosen?.scale.kind === "limit" && <option value="number">Add it, up to…</option>}
        </SelectField>
        {chosen?.scale.kind === "limit" && level !== "withhold" && (
          <TextField
            label={`Up to, in ${chosen.scale.unit}`}
            type="number"
            min={1}
            max={most?.why_not ? most.level : chosen.scale.most}
            required
            className="col-span-2"
            value={level}
            onChange={(e) => setLevel(e.target.value)}
          />
        )}
        <DateField
          label="From"
          optional
          type="date"
          value={from}
          onChange={(e) => setFrom(e.target.value)}
          hint="Left empty: at once."
        />
        <DateField
          label="Until"
          optional
          type="date"
          value={until}
          onChange={(e) => setUntil(e.target.value)}
          hint="The last day that counts."
        />
      </div>
      <Reasoned
        always
        operations={operations}
        button={level === "withhold" ? "Withhold it" : "Add it"}
        grave={level === "withhold"}
        close={close}
      />
    </Ask>
  );
}
