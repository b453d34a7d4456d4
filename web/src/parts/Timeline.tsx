import { type QueryKey, type UseQueryOptions, useQuery } from "@tanstack/react-query";
import { ChevronLeft, ChevronRight } from "lucide-react";
import { useState } from "react";
import type { Schema } from "@/api/api";
import { isoDay } from "./AssignmentFields";
import { Button } from "./Button";
import { Listed } from "./Listed";
import { Section } from "./Page";

type Facts = Schema["Timeline"];
type Asked = { from: string; days: number };

/** Monday of the week that lies so many weeks ahead. */
const monday = (weeks: number) => {
  const today = new Date();
  return isoDay(weeks * 7 - ((today.getDay() + 6) % 7));
};

const clock = (iso: string, zone: string) =>
  new Date(iso).toLocaleTimeString("en-IE", { timeZone: zone, hour: "2-digit", minute: "2-digit", hourCycle: "h23" });
const dayName = (iso: string) =>
  new Date(`${iso}T12:00:00Z`).toLocaleDateString("en-IE", {
    weekday: "short",
    day: "numeric",
    month: "short",
    timeZone: "UTC",
  });

/** A week or a month of hours as a picture, each edge with its reason; and the same as a table. */
export function Timeline<K extends QueryKey>({
  facts: about,
}: {
  facts: (asked: Asked) => UseQueryOptions<Facts, Error, Facts, K>;
}) {
  const [weeks, setWeeks] = useState(0);
  const [month, setMonth] = useState(false);
  const [table, setTable] = useState(false);
  const asked = { from: monday(weeks), days: month ? 28 : 7 };
  const facts = useQuery({ ...about(asked), retry: false });
  const t = facts.data;
  return (
    <Section
      title="Hours, day by day"
      note={
        <span className="flex items-center gap-1">
          <Button
            look="quiet"
            className="min-h-0 px-1"
            aria-label="Earlier"
            onClick={() => setWeeks(weeks - (month ? 4 : 1))}
          >
            <ChevronLeft size={18} aria-hidden />
          </Button>
          <Button look="quiet" className="min-h-0 px-1" onClick={() => setWeeks(0)}>
            This week
          </Button>
          <Button
            look="quiet"
            className="min-h-0 px-1"
            aria-label="Later"
            onClick={() => setWeeks(weeks + (month ? 4 : 1))}
          >
            <ChevronRight size={18} aria-hidden />
          </Button>
          <Button look="quiet" className="min-h-0 px-1" aria-pressed={month} onClick={() => setMonth(!month)}>
            {month ? "One week" : "Four weeks"}
          </Button>
          <Button look="quiet" className="min-h-0 px-1" aria-pressed={table} onClick={() => setTable(!table)}>
            {table ? "As a picture" : "As a table"}
          </Button>
        </span>
      }
    >
      <Listed of={facts}>{() => null}</Listed>
      {t && (
        <p className="mb-2 text-sm text-faded">
          {t.title} ({t.time_zone})
        </p>
      )}
      {t && (table ? <Edges facts={t} /> : <Picture facts={t} />)}
    </Section>
  );
}

function Picture({ facts }: { facts: Facts }) {
  const hours = [0, 3, 6, 9, 12, 15, 18, 21, 24];
  return (
    <div role="group" aria-label={facts.title}>
      <div className="ml-24 flex justify-between text-sm text-faded" aria-hidden>
        {hours.map((h) => (
          <span key={h} className="w-0 text-center">
            <span className="-translate-x-1/2 inline-block">{h}</span>
          </span>
        ))}
      </div>
      {facts.days.map((d) => {
        const from = Date.parse(d.from);
        const long = Date.parse(d.until) - from;
        const now = Date.now();
        const parts = facts.open
          .filter((o) => Date.parse(o.until) > from && Date.parse(o.from) < from + long)
          .map((o) => ({
            ...o,
            left: Math.max(0, (Date.parse(o.from) - from) / long),
            right: Math.min(1, (Date.parse(o.until) - from) / long),
          }));
        return (
          <div key={d.date} className="flex items-center gap-2 border-t border-rule py-0.5">
            <span className="w-22 shrink-0 text-sm">{dayName(d.date)}</span>
            <div className="relative h-6 grow rounded-sm bg-inset">
              {hours.slice(1, -1).map((h) => (
                <span
                  key={h}
                  className="absolute inset-y-0 w-px bg-rule"
                  style={{ left: `${(h / 24) * 100}%` }}
                  aria-hidden
                />
              ))}
              {d.note && parts.length === 0 && <span className="absolute left-2 text-sm text-faded">{d.note}</span>}
              {parts.map((o) => {
                const words = `${dayName(d.date)}: ${clock(o.from, facts.time_zone)} by ${o.begins}, until ${clock(o.until, facts.time_zone)} by ${o.ends}`;
                return (
                  <button
                    key={o.from}
                    type="button"
                    title={words}
                    aria-label={words}
                    className="group absolute inset-y-0 rounded-sm bg-open hover:z-10 focus-visible:z-10"
                    style={{ left: `${o.left * 100}%`, width: `${(o.right - o.left) * 100}%` }}
                  >
                    <span className="pointer-events-none absolute top-6 left-0 hidden rounded-sm border border-rule bg-sheet px-2 py-1 text-left text-sm whitespace-nowrap text-ink shadow-raised group-focus:block">
                      {words}
                    </span>
                  </button>
                );
              })}
              {now >= from && now < from + long && (
                <span
                  className="absolute inset-y-0 z-10 w-0.5 bg-brass"
                  style={{ left: `${((now - from) / long) * 100}%` }}
                  title="Now"
                />
              )}
            </div>
          </div>
        );
      })}
      {facts.open.length === 0 && <p className="mt-2 text-faded">At no time on these days.</p>}
    </div>
  );
}

function Edges({ facts }: { facts: Facts }) {
  return (
    <table className="w-full">
      <thead>
        <tr className="text-left text-sm text-faded">
          <th className="py-1 font-semibold">From</th>
          <th className="font-semibold">By</th>
          <th className="font-semibold">Until</th>
          <th className="font-semibold">By</th>
        </tr>
      </thead>
      <tbody>
        {facts.open.map((o) => (
          <tr key={o.from} className="border-t border-rule">
            <td className="py-1 pr-3 whitespace-nowrap">
              {dayName(o.from.slice(0, 10))} {clock(o.from, facts.time_zone)}
            </td>
            <td className="pr-3 text-faded">{o.begins}</td>
            <td className="pr-3 whitespace-nowrap">
              {dayName(o.until.slice(0, 10))} {clock(o.until, facts.time_zone)}
            </td>
            <td className="text-faded">{o.ends}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
