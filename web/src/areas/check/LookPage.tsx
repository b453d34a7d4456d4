import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schema } from "@/api/api";
import { read } from "@/api/read";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { placeOptions, usePlaces, useZones } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Empty, Page, Section } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { Statement } from "@/parts/Statement";
import { instant, moment } from "@/parts/words";
import { type Search, useFilters } from "@/search";
import { CheckTabs } from "./CheckPage";

type Asked = Search<"/look">;
const tenses: Record<Schema["Look"]["tense"], string> = {
  past: "from the kept history",
  present: "as it is now",
  future: "by what is on record now",
};

/** What somebody meets at a place at a moment: which doors open, what terminals offer. Nobody signs in as them. */
export function LookPage() {
  const [search, put] = useFilters("/look");
  const places = usePlaces();
  const zones = useZones();
  const [form, setForm] = useState<Asked>(search);
  const look = useQuery({
    ...read("/staff/{id}/look", {
      path: { id: search.staff! },
      query: {
        ...(search.place && { place: search.place }),
        ...(search.at && { at: instant(search.at, places.data?.find((p) => p.code === search.place)?.time_zone) }),
      },
    }),
    enabled: !!search.staff && !places.isPending, // a place has a time zone that the moment is meant in
    retry: false,
    placeholderData: keepPreviousData,
  });
  return (
    <Page title="Look as somebody" lead="What they meet, without signing in as them: now, ahead, or in the past">
      <CheckTabs />
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-10 lg:grid-cols-[22rem_minmax(0,1fr)]">
        <form
          className="space-y-4"
          onSubmit={(e) => {
            e.preventDefault();
            put(form);
          }}
        >
          <PersonField
            label="Who"
            required
            value={form.staff ?? ""}
            onChosen={(staff) => setForm({ ...form, staff })}
          />
          <Combobox
            label="Where"
            value={form.place ?? ""}
            onChange={(e) => setForm({ ...form, place: e.target.value || undefined })}
            placeholder="Their home site"
            options={placeOptions(places.data)}
          />
          <DateField
            label="When"
            optional
            type="datetime-local"
            zone={zones(form.place)}
            value={form.at ?? ""}
            onChange={(e) => setForm({ ...form, at: e.target.value || undefined })}
            hint="Left empty: now. The past is read from the kept history."
          />
          <Button type="submit" look="main" disabled={!form.staff}>
            Look
          </Button>
        </form>
        <div aria-live="polite" className="min-w-0">
          {!search.staff && (
            <Empty>Choose a person: what they meet stands here, door by door and terminal by terminal.</Empty>
          )}
          {search.staff && <Listed of={look}>{(data) => !look.error && <Sights look={data} />}</Listed>}
        </div>
      </div>
    </Page>
  );
}

function Sights({ look }: { look: Schema["Look"] }) {
  const zones = useZones();
  return (
    <div className="space-y-6">
      <p className="sentence">
        <b>{look.staff.name}</b> ({look.status}) at {look.place.name} on {moment(look.at, zones(look.place.code))},{" "}
        {tenses[look.tense]}.
        {look.obstacles.map((o) => (
          <span key={o.code} className="block text-soon">
            {o.sentence}
          </span>
        ))}
      </p>
      <Section title="What they meet">
        <ul className="sheet">
          {look.items.map((s) => (
            <li
              key={s.place.code}
              className="grid grid-cols-[minmax(12rem,1fr)_2fr] gap-3 border-b border-rule px-3 py-1.5 last:border-b-0"
            >
              <span style={{ paddingLeft: `${s.depth * 1.1}rem` }}>
                {s.place.name} <span className="text-sm text-faded">{s.place.code}</span>
              </span>
              <span>
                {s.opens !== undefined && (
                  <Mark of={s.opens ? "open" : "shut"}>{s.opens ? "opens" : "stays shut"}</Mark>
                )}
                {s.opens === false && (
                  <span className="block text-sm text-faded">
                    {s.sentence} {s.remedy}
                  </span>
                )}
                {s.offers.length > 0 && <span className="block">{s.offers.join(", ")}</span>}
                {s.opens === undefined && s.offers.length === 0 && <span className="text-faded">nothing</span>}
              </span>
            </li>
          ))}
        </ul>
      </Section>
      <Section title="Everywhere, in sentences" note="Each opens to what it rests on">
        {look.statements.map((s) => (
          <Statement key={`${s.assignment} ${s.exception} ${s.sentence}`} statement={s} />
        ))}
        {look.statements.length === 0 && <p className="text-faded">Nothing at all at that moment.</p>}
      </Section>
    </div>
  );
}
