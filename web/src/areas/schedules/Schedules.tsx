import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMay, useMe } from "@/areas/session/session";
import { RuleTabs } from "@/areas/templates/tabs";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Reasoned } from "@/parts/change";
import { usePlaces } from "@/parts/choices";
import { TextField } from "@/parts/fields";
import { Listed, Unread } from "@/parts/Listed";
import { useMerging } from "@/parts/merging";
import { Page, Section } from "@/parts/Page";
import { SiteChoice } from "@/parts/PlaceChoice";
import { type Access, AccessField, sameAccess, useSchedules } from "@/parts/rules";
import { TakeAlong } from "@/parts/TakeAlong";
import { Timeline } from "@/parts/Timeline";
import { day, howMany, people } from "@/parts/words";
import { useFilters } from "@/search";

type Schedule = Schema["Schedule"];

/** Access hours with a name, and what has them. */
export function Schedules() {
  const me = useMe();
  const edits = me.everywhere.includes("console.edit_templates");
  const list = useSchedules({ retired: true });
  const [adding, setAdding] = useState(false);
  return (
    <Page
      title="Schedules"
      lead="Access hours with a name, such as a shift. Templates, assignments and people have them in common: change one, and all that have it change."
      acts={
        <>
          <TakeAlong from="/schedules" query={{ retired: "all" }} file="schedules.csv" />
          {edits && (
            <Button look="main" onClick={() => setAdding(true)}>
              Add a schedule
            </Button>
          )}
        </>
      }
    >
      <RuleTabs />
      <Listed
        of={list}
        empty={
          <>
            None is on record.{" "}
            {edits ? "Add one, such as an early shift, and" : "Somebody who edits templates adds one, and"} give its
            hours to a template, an assignment or a person.
          </>
        }
      >
        {(data) => (
          <div className="overflow-x-auto">
            <table className="w-full">
              <thead>
                <tr className="text-left text-sm text-faded">
                  <th className="py-1 font-semibold">Schedule</th>
                  <th className="font-semibold">Hours</th>
                  <th className="font-semibold">Stated by</th>
                  <th className="text-right font-semibold">People</th>
                </tr>
              </thead>
              <tbody>
                {data.items.map((c) => (
                  <tr key={c.code} className={`border-t border-rule align-top ${c.retired ? "text-faded" : ""}`}>
                    <td className="py-2 pr-4">
                      <Link to="/schedules/$code" params={{ code: c.code }} className="font-semibold hover:underline">
                        {c.name}
                      </Link>
                      {c.retired && " · retired"}
                      <span className="block text-sm text-faded">{c.summary}</span>
                    </td>
                    <td className="py-2 pr-4">{c.hours_words}</td>
                    <td className="py-2 pr-4">
                      <StatedBy of={c} />
                    </td>
                    <td className="py-2 text-right tabular-nums">{c.concerned}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Listed>
      {adding && <ScheduleDialog close={() => setAdding(false)} />}
    </Page>
  );
}

function StatedBy({ of: c }: { of: Schedule }) {
  if (!c.templates.length && !c.assignments && !c.people) return <span className="text-faded">nothing</span>;
  return (
    <>
      {c.templates.map((t) => (
        <Link key={t.code} to="/templates/$code" params={{ code: t.code }} className="mr-2 hover:underline">
          {t.name}
        </Link>
      ))}
      {!!c.assignments && (
        <span className="mr-2 text-faded">{howMany(c.assignments, "assignment", "assignments")}</span>
      )}
      {!!c.people && <span className="text-faded">{people(c.people)}</span>}
    </>
  );
}

/** Adds a schedule, or changes one, with who gains and loses shown before. */
function ScheduleDialog({ of: c, close }: { of?: Schedule; close: () => void }) {
  const first = { code: c?.code ?? "", name: c?.name ?? "", summary: c?.summary ?? "" };
  const begin: Access = c?.hours ?? {
    kind: "weekly",
    rules: [{ days: "mon,tue,wed,thu,fri", from: "06:00", until: "14:00" }],
  };
  const { form, put: write, changed } = useMerging(first);
  const [chosen, setAccess] = useState<Access>(); // where hours are chosen here; else they follow the record
  const access = chosen ?? begin;
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) => write({ [name]: e.target.value });
  const { code: _, ...texts } = changed;
  const set = { ...texts, ...((!c || !sameAccess(access, begin)) && { hours: access }) };
  const whole =
    form.name.trim() && form.code.trim() && access.rules?.every((r) => r.days && r.from && r.until) !== false;
  const operations: Operation[] = !whole
    ? []
    : !c
      ? [{ op: "schedule.add", set: { code: form.code, ...set } }]
      : Object.keys(set).length
        ? [{ op: "schedule.edit", on: c.code, if_revision: Number(c.etag.replace(/\D/g, "")), set }]
        : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={c ? `Change ${c.name}` : "Add a schedule"}
      about={c ? `Code ${c.code}, which stays. All that have its hours change with it.` : "Access hours with a name."}
    >
      <div className="mb-4 grid grid-cols-2 gap-3">
        <TextField label="Name" required maxLength={120} value={form.name} onChange={put("name")} />
        <TextField
          label="Code"
          required
          disabled={!!c}
          maxLength={32}
          value={form.code}
          onChange={put("code")}
          hint={c ? undefined : "Such as EARLY"}
        />
        <TextField
          label="What it is for"
          optional
          className="col-span-2"
          maxLength={1000}
          value={form.summary}
          onChange={put("summary")}
        />
        <AccessField value={access} onChange={setAccess} />
      </div>
      <Reasoned operations={operations} button={c ? "Change the schedule" : "Add the schedule"} close={close} />
    </Ask>
  );
}

/** One schedule: its hours as a picture, and the assignments that have them. */
export function SchedulePage() {
  const { code } = useParams({ strict: false }) as { code: string };
  const [search, put] = useFilters("/schedules/$code");
  const may = useMay();
  const me = useMe();
  const places = usePlaces();
  const [dialog, setDialog] = useState<"edit" | "retire">();
  const one = useQuery({
    ...read("/schedules/{id}", { path: { id: code } }),
  });
  const site = search.site ?? places.data?.find((p) => p.kind === "site")?.code;
  const query = { schedule: code, ...(search.site && { place: search.site }) };
  const list = useQuery({
    ...read("/assignments", { query: { ...query, limit: 500 } }),
    enabled: may("console.view_staff"),
  });
  if (!one.data) return <Unread of={one} />;
  const c = one.data;
  const edits = me.everywhere.includes("console.edit_templates") && !c.fixed;
  return (
    <Page
      title={c.name}
      lead={`${c.code} · ${c.hours_words}${c.retired ? " · retired" : ""}. ${c.summary ?? ""}`}
      acts={
        <>
          <TakeAlong from="/assignments" query={query} file={`schedule-${c.code}.csv`} />
          {edits && !c.retired && <Button onClick={() => setDialog("edit")}>Change</Button>}
          {edits && <Button onClick={() => setDialog("retire")}>{c.retired ? "Bring back" : "Retire"}</Button>}
        </>
      }
    >
      <p className="mb-4">
        <span className="text-faded">Stated by: </span>
        <StatedBy of={c} />
        {c.fixed && <span className="block text-faded">{c.fixed}</span>}
      </p>
      <div className="mb-3 max-w-xs">
        <SiteChoice label="Site" value={search.site} onChange={(site) => put({ site })} />
      </div>
      {site && (
        <Timeline
          facts={(asked) => read("/schedules/{id}/timeline", { path: { id: code }, query: { ...asked, place: site } })}
        />
      )}
      <div className="h-8" />
      {may("console.view_staff") && (
        <Section title="Who has these hours">
          <Listed
            of={list}
            empty={<>Nobody. Give these hours to a template, to an assignment, or to a person on their page.</>}
          >
            {(data) => (
              <div className="overflow-x-auto">
                <table className="w-full">
                  <thead>
                    <tr className="text-left text-sm text-faded">
                      <th className="py-1 font-semibold">Who</th>
                      <th className="font-semibold">Works as</th>
                      <th className="font-semibold">Where</th>
                      <th className="font-semibold">Until</th>
                      <th className="font-semibold">By</th>
                    </tr>
                  </thead>
                  <tbody>
                    {data.items.map((a) => (
                      <tr key={a.id} className={`border-t border-rule ${a.when === "past" ? "text-faded" : ""}`}>
                        <td className="py-1.5 pr-3">
                          <Link
                            to="/staff/$number"
                            params={{ number: a.staff.staff_number }}
                            className="font-semibold hover:underline"
                          >
                            {a.staff.name}
                          </Link>{" "}
                          <span className="text-sm text-faded">{a.staff.staff_number}</span>
                        </td>
                        <td className="pr-3">{a.template_name}</td>
                        <td className="pr-3">{a.place.name}</td>
                        <td className="pr-3 whitespace-nowrap">{day(a.until) || "open"}</td>
                        <td className="text-faded">{a.hours_by}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            )}
          </Listed>
        </Section>
      )}
      {dialog === "edit" && <ScheduleDialog of={c} close={() => setDialog(undefined)} />}
      {dialog === "retire" && (
        <Ask
          open
          wide
          onOpenChange={() => setDialog(undefined)}
          title={c.retired ? `Bring back ${c.name}` : `Retire ${c.name}`}
          about={
            c.retired
              ? "Its hours can be given again."
              : "Nothing new has its hours. What has them keeps them: change that first."
          }
        >
          <Reasoned
            operations={[{ op: c.retired ? "schedule.restore" : "schedule.retire", on: c.code }]}
            button={c.retired ? "Bring it back" : "Retire it"}
            close={() => setDialog(undefined)}
          />
        </Ask>
      )}
    </Page>
  );
}
