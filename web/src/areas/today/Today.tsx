import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import type { Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMay, useMe } from "@/areas/session/session";
import { useAct } from "@/parts/acts";
import { Button, buttonLook } from "@/parts/Button";
import { BadgeActs, BadgeMark, badgeReference } from "@/parts/badges";
import { useZones } from "@/parts/choices";
import { Listed } from "@/parts/Listed";
import { Page, Section } from "@/parts/Page";
import { Paused } from "@/parts/Paused";
import { PersonName as Name, StuckLine, TodayTabs } from "@/parts/stuck";
import { day, howMany, moment, people } from "@/parts/words";

type Person = Schema["Person"];

/** What a manager looks at first: each line ends in the act that settles it. */
export function Today() {
  const me = useMe();
  const may = useMay();
  const today = useQuery({
    ...read("/today"),
    refetchInterval: 30_000,
    enabled: may("console.view_staff"),
  });
  const t = today.data;
  return (
    <Page
      title="Today"
      lead={
        t
          ? `${new Date(`${t.date}T12:00:00Z`).toLocaleDateString("en-IE", { weekday: "long", day: "numeric", month: "long" })} · ${me.organisation}`
          : me.organisation
      }
      acts={
        may("console.enrol") && (
          <Link to="/enrol" className={buttonLook("main")}>
            Enrol somebody
          </Link>
        )
      }
    >
      {may("console.view_staff") && <TodayTabs />}
      {may("console.view_staff") && <Listed of={today}>{() => null}</Listed>}
      {t && <Notes of={t} />}
      {may("console.read_events") && <Alarms />}
      {t && (
        <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-10 gap-y-9 lg:grid-cols-2">
          <div className="space-y-9">
            <Rules today={t} />
            <Section
              title="Not ready"
              note={
                <Link to="/readiness" className="text-damson underline underline-offset-2">
                  All {t.counts.stuck}
                </Link>
              }
            >
              <Lines
                people={t.stuck}
                none="Everybody who is to work can work."
                line={(p) => <StuckLine person={p} />}
              />
            </Section>
          </div>
          <div className="space-y-9">
            <Section title="Starting within a week" note={count(t.counts.starting)}>
              <Lines
                people={t.starting}
                none="Nobody starts within a week. Enrol somebody to see them here."
                line={(p) => (
                  <Line
                    person={p}
                    detail={`${p.job_title || "No job title"} · ${p.home_site.name}`}
                    end={day(p.date)}
                  />
                )}
              />
            </Section>
            <Section title="Locked" note={count(t.counts.locked)}>
              <Lines people={t.locked} none="Nobody is locked." line={(p) => <LockedLine person={p} />} />
            </Section>
            {t.paused.length > 0 && (
              <Section title="Paused after wrong PINs">
                <ul>
                  {t.paused.map((p) => (
                    <Paused key={`${p.place.code} ${p.staff?.staff_number}`} paused={p} />
                  ))}
                </ul>
              </Section>
            )}
            {t.badges.length > 0 && <BadgesToSettle badges={t.badges} />}
            {t.barred.length > 0 && <Barred bars={t.barred} />}
            <Section
              title="Ending within two weeks"
              note={
                <Link to="/expiring" className="text-damson underline underline-offset-2">
                  All that runs out
                </Link>
              }
            >
              <Lines
                people={t.ending}
                none="Nothing ends within two weeks."
                line={(p) => <Line person={p} detail={sentence(p.what)} end={day(p.date)} />}
              />
            </Section>
            {may("console.read_events") && <Refusals />}
          </div>
        </div>
      )}
    </Page>
  );
}

/** What waits about the rules: undecided permissions, planned and failed drafts, redundant exceptions. */
function Rules({ today }: { today: Schema["Today"] }) {
  const may = useMay();
  if (
    !today.undecided.length &&
    !today.drafts.length &&
    !today.gaps.length &&
    !(today.redundant && may("console.except"))
  )
    return null;
  const waiting = [...new Set(today.undecided.flatMap((w) => w.permissions))];
  return (
    <Section title="Rules to settle">
      <ul>
        {today.undecided.length > 0 && (
          <Rule
            act={
              <Link
                to="/catalogue"
                search={waiting.length === 1 ? { undecided: true, permission: waiting[0] } : { undecided: true }}
                className={`${buttonLook()} shrink-0`}
              >
                Decide
              </Link>
            }
          >
            <b>{howMany(waiting.length, "new permission", "new permissions")}</b> undecided in{" "}
            {howMany(today.undecided.length, "template", "templates")}:{" "}
            {today.undecided.slice(0, 6).map((w, i) => (
              <span key={w.template}>
                {i > 0 && ", "}
                <Link
                  to="/templates/$code"
                  params={{ code: w.template }}
                  className="text-damson underline underline-offset-2"
                >
                  {w.name}
                </Link>
              </span>
            ))}
            {today.undecided.length > 6 && ` and ${today.undecided.length - 6} more`}
          </Rule>
        )}
        {today.drafts.map((d) => (
          <Rule
            key={d.id}
            act={
              <Link to="/drafts/$id" params={{ id: String(d.id) }} className={`${buttonLook()} shrink-0`}>
                {d.state === "given"
                  ? "See the draft"
                  : d.own && d.state === "failed"
                    ? "Put it right"
                    : "See the plan"}
              </Link>
            }
          >
            <b>{d.title || `Draft ${d.id}`}</b>
            {d.state === "given" ? (
              <span className="text-faded"> waits until you accept it. {d.problem}</span>
            ) : d.state === "failed" ? (
              <span className="text-shut"> is not applied: {d.problem}</span>
            ) : (
              <span className="text-faded">
                {" "}
                is planned for {moment(d.planned_for!)}
                {!d.own && ` by ${d.owner.name}`}
              </span>
            )}
          </Rule>
        ))}
        {today.gaps.map((g) => (
          <Rule key={g.kind + g.code} act={<Mend gap={g} />}>
            <b>{g.sentence}</b> <span className="text-faded">{g.mend}</span>
          </Rule>
        ))}
        {today.redundant > 0 && may("console.except") && (
          <Rule
            act={
              <Link to="/exceptions" search={{ redundant: true }} className={`${buttonLook()} shrink-0`}>
                Tidy up
              </Link>
            }
          >
            <b>{howMany(today.redundant, "exception", "exceptions")}</b>{" "}
            <span className="text-faded">
              {today.redundant === 1 ? "changes" : "change"} nothing any more and can be ended
            </span>
          </Rule>
        )}
      </ul>
    </Section>
  );
}

/** Leads to where somebody is made to take care of what nobody does. */
function Mend({ gap }: { gap: Schema["Gap"] }) {
  const look = `${buttonLook()} shrink-0`;
  if (gap.kind === "team")
    return (
      <Link to="/teams/$code" params={{ code: gap.code }} className={look}>
        Name a lead
      </Link>
    );
  if (gap.kind === "site")
    return (
      <Link to="/estate/$code" params={{ code: gap.code }} className={look}>
        Assign a manager
      </Link>
    );
  return (
    <Link to="/templates" className={look}>
      See the templates
    </Link>
  );
}

function Rule({ act, children }: { act: ReactNode; children: ReactNode }) {
  return (
    <li className="flex items-start justify-between gap-3 border-b border-rule py-2 last:border-b-0">
      <span>{children}</span>
      {act}
    </li>
  );
}

const count = (n: number | undefined) => (n ? people(n) : undefined);
const sentence = (s: string | undefined) =>
  s ? s[0]!.toUpperCase() + s.slice(1) + (s.startsWith("assignment") ? "" : " ends") : "";

function Lines({ people, none, line }: { people: Person[]; none: string; line: (p: Person) => ReactNode }) {
  if (!people.length) return <p className="text-faded">{none}</p>;
  return (
    <ul>
      {people.map((p) => (
        <li key={`${p.staff_number} ${p.what ?? ""}`} className="border-b border-rule py-2 last:border-b-0">
          {line(p)}
        </li>
      ))}
    </ul>
  );
}

function Line({ person, detail, end }: { person: Person; detail: string; end: string }) {
  return (
    <div className="flex justify-between gap-3">
      <span>
        <Name person={person} /> <span className="text-faded">{detail}</span>
      </span>
      <span className="shrink-0">{end}</span>
    </div>
  );
}

function LockedLine({ person }: { person: Person }) {
  const zones = useZones();
  const act = useAct();
  const may = useMay();
  return (
    <div className="flex items-start justify-between gap-3">
      <span>
        <Name person={person} /> <span className="text-faded">{person.lock?.reason}</span>
        <span className="block text-sm text-faded">
          since {moment(person.lock!.since, zones(person.home_site.code))}
          {person.lock?.by && ` by ${person.lock.by.name}`}
        </span>
      </span>
      {may("console.lock", person.home_site.code) && <Button onClick={() => act("unlock", person)}>Unlock</Button>}
    </div>
  );
}

/** What somebody has to know before all else. */
function Notes({ of: t }: { of: Schema["Today"] }) {
  return (
    <>
      {!!t.aside && (
        <p role="alert" className="mb-5 rounded-sm border border-shut bg-shut-wash px-4 py-2.5 sentence">
          <b>{howMany(t.aside, "record cannot be read", "records cannot be read")}</b> and{" "}
          {t.aside === 1 ? "gives" : "give"} nobody anything. Tell whoever looks after the service: its log names{" "}
          {t.aside === 1 ? "it" : "them"}.
        </p>
      )}
      {t.tampering && (
        <p role="alert" className="mb-5 rounded-sm border border-shut bg-shut-wash px-4 py-2.5 sentence">
          <b>The database was changed by something else than this service.</b> {t.tampering}. Tell whoever looks after
          the service: <code>loyald verify</code> names all of it.
        </p>
      )}
      {t.troubles?.map((one) => (
        <p key={one.kind} role="alert" className="mb-5 rounded-sm border border-soon bg-soon-wash px-4 py-2.5 sentence">
          <b>{one.what}</b>, since {moment(one.since)}. {one.do}
        </p>
      ))}
      {!!t.lost_pins && (
        <p role="alert" className="mb-5 rounded-sm border border-shut bg-shut-wash px-4 py-2.5 sentence">
          <b>{howMany(t.lost_pins, "person has", "people have")} no PIN any more</b>: {t.lost_why}. Issue each another,
          or have whoever looks after the service run <code>loyald pins replace</code>, which prints slips for all of
          them.
        </p>
      )}
      {!!t.counts.seats && (
        <p role="status" className="mb-5 rounded-sm border border-soon bg-soon-wash px-4 py-2.5 sentence">
          <b>
            {t.counts.seats_used} of {t.counts.seats} seats
          </b>{" "}
          are in use. Record leavers, or ask an owner for more.
        </p>
      )}
    </>
  );
}

/** PINs for duress that were typed within a day. */
function Alarms() {
  const zones = useZones();
  const hour = 3_600_000; // milliseconds: what is asked for is the same until the next
  const from = new Date((Math.floor(Date.now() / hour) - 24) * hour).toISOString();
  const alarms = useQuery({
    ...read("/events", { query: { reason: "under_duress", from, limit: 5 } }),
    refetchInterval: 15_000,
  });
  return alarms.data?.items.map((e) => (
    <p key={e.id} role="alert" className="mb-3 rounded-sm border-2 border-shut bg-shut-wash px-4 py-2.5 sentence">
      <b>Under duress:</b> {e.staff?.name ?? "Somebody"} typed the PIN for duress at {e.place.name},{" "}
      {moment(e.at, zones(e.place.code))}. The door opened and told nobody there.
    </p>
  ));
}

function BadgesToSettle({ badges }: { badges: Schema["Today"]["badges"] }) {
  const zones = useZones();
  return (
    <Section
      title="Badges to settle"
      note={
        <Link to="/badges" className="text-damson underline underline-offset-2">
          All badges
        </Link>
      }
    >
      <ul>
        {badges.map((b) => (
          <li key={b.id} className="flex items-start justify-between gap-3 border-b border-rule py-2 last:border-b-0">
            <span>
              <Link to="/badges/$id" params={{ id: badgeReference(b) }} className="font-semibold hover:underline">
                {b.label || b.number}
              </Link>{" "}
              <BadgeMark state={b.state} />{" "}
              <span className="text-faded">
                {b.holder?.staff.name}
                {b.holder?.status === "left" && ", who has left"}
                {b.state === "overdue" && `, due ${moment(b.holder!.until!, zones(b.site.code))}`}
              </span>
            </span>
            <span className="flex flex-wrap justify-end sm:shrink-0">
              <BadgeActs badge={b} few />
            </span>
          </li>
        ))}
      </ul>
    </Section>
  );
}

function Barred({ bars }: { bars: Schema["Today"]["barred"] }) {
  const zones = useZones();
  return (
    <Section title="Barred from a place" note={count(bars.length)}>
      <ul>
        {bars.map((b) => (
          <li key={b.id} className="border-b border-rule py-2 last:border-b-0">
            <Link
              to="/staff/$number"
              params={{ number: b.staff.staff_number }}
              className="font-semibold hover:underline"
            >
              {b.staff.name}
            </Link>{" "}
            <span className="text-faded">
              {b.place.name}: {b.reason}
              {b.until && `, until ${moment(b.until, zones(b.place.code))}`}
            </span>
          </li>
        ))}
      </ul>
    </Section>
  );
}

function Refusals() {
  const zones = useZones();
  const refusals = useQuery({
    ...read("/events", { query: { outcome: "refuse", limit: 8 } }),
    refetchInterval: 30_000,
  });
  return (
    <Section title="Latest refusals at the doors">
      <ul>
        {refusals.data?.items.map((e) => (
          <li key={e.id} className="flex justify-between gap-3 border-b border-rule py-1.5 last:border-b-0">
            <span>
              {e.staff ? (
                <Link
                  to="/staff/$number"
                  params={{ number: e.staff.staff_number }}
                  className="font-semibold hover:underline"
                >
                  {e.staff.name}
                </Link>
              ) : (
                "Somebody unknown"
              )}{" "}
              <span className="text-faded">
                at {e.place.name}, {e.reason.replaceAll("_", " ")}
              </span>
            </span>
            <span className="shrink-0 text-sm text-faded">{moment(e.at, zones(e.place.code))}</span>
          </li>
        ))}
      </ul>
      {refusals.data?.items.length === 0 && (
        <p className="text-faded">No refusal yet. Connect a door and it will report here.</p>
      )}
    </Section>
  );
}
