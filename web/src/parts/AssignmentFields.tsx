import { useState } from "react";
import type { Refusal } from "@/api/api";
import { Combobox } from "./Combobox";
import { placeOptions, templateOptions, usePlaces, useTemplates } from "./choices";
import { DateField } from "./DateField";

/** Today's date as the browser has it. */
export const isoToday = () => isoDay(0);

/** A day by the reader's own calendar, some days ahead. */
export const isoDay = (ahead: number) => {
  const at = new Date();
  at.setDate(at.getDate() + ahead);
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 10);
};

/** What is chosen for an assignment. The site stands as the place, and the days of the employment as the days of the assignment, until others are chosen. */
export function useAssignmentChoices(site: string, contractEnd: string, start: string) {
  const [place, setPlace] = useState<string>();
  const [template, setTemplate] = useState("");
  const [from, setFrom] = useState<string>();
  const [until, setUntil] = useState<string>();
  const chosen = { place: place ?? site, template, from: from ?? start, until: until ?? contractEnd };
  return { ...chosen, setPlace, setTemplate, setFrom, setUntil, set: chosen };
}

export function AssignmentFields({
  choices,
  optional = false,
  wrong,
}: {
  choices: ReturnType<typeof useAssignmentChoices>;
  optional?: boolean; // without a template nothing is assigned
  wrong?: Refusal;
}) {
  const places = usePlaces();
  const templates = useTemplates({ place: choices.place });
  const chosen = templates.data?.items.find((t) => t.code === choices.template);
  return (
    <div className="grid grid-cols-2 gap-3">
      <Combobox
        label="Where"
        required
        className="col-span-2"
        value={choices.place}
        onChange={(e) => choices.setPlace(e.target.value)}
        error={wrong?.field("place")}
        hint="Covers everything below it, also what is added there later."
        placeholder="Choose a place"
        options={placeOptions(places.data)}
      />
      <Combobox
        label="Works as"
        required={!optional}
        optional={optional}
        className="col-span-2"
        value={choices.template}
        onChange={(e) => choices.setTemplate(e.target.value)}
        error={wrong?.field("template") ?? (chosen && !chosen.assignable ? chosen.why_not : undefined)}
        hint={chosen?.summary}
        placeholder="Choose a template"
        options={templateOptions(templates.data?.items, { giving: true })}
      />
      <DateField
        label="From"
        type="date"
        required
        value={choices.from}
        onChange={(e) => choices.setFrom(e.target.value)}
        error={wrong?.field("from")}
      />
      <DateField
        label="Until"
        optional
        type="date"
        value={choices.until}
        onChange={(e) => choices.setUntil(e.target.value)}
        error={wrong?.field("until")}
        hint="The last day that counts."
      />
    </div>
  );
}
