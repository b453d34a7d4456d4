import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import type { Schema } from "@/api/api";
import { useMay } from "@/areas/session/session";
import { type Act, useAct, type Whom } from "./acts";
import { Button, buttonLook } from "./Button";
import { Mark } from "./Mark";
import { Tabs } from "./Page";

type Person = Schema["Person"];

/** A person's name, leading to their page. */
export function PersonName({ person }: { person: Person }) {
  return (
    <Link to="/staff/$number" params={{ number: person.staff_number }} className="font-semibold hover:underline">
      {person.name}
    </Link>
  );
}

const mends: Record<string, { word: string; permission: string }> = {
  unlock: { word: "Unlock", permission: "console.lock" },
  issue_pin: { word: "Issue a PIN", permission: "console.credentials" },
  issue_password: { word: "First password", permission: "console.credentials" },
  issue_badge: { word: "Issue a badge", permission: "console.credentials" },
  resume_badge: { word: "Resume the badge", permission: "console.credentials" },
  assign: { word: "Assign", permission: "console.assign" },
  extend_assignment: { word: "Assign", permission: "console.assign" },
  change_template: { word: "Assign", permission: "console.assign" },
  change_hours: { word: "See assignments", permission: "console.view_staff" },
  extend_contract: { word: "Change record", permission: "console.edit_staff" },
  add_certificate: { word: "Record a certificate", permission: "console.edit_staff" },
  lift_bar: { word: "See the bar", permission: "console.lock" },
};

/** What is done in a dialog over the page; the others lead to the person's page. */
const inPlace: Record<string, Act> = { unlock: "unlock", issue_pin: "pin", issue_password: "password" };

type Obstacle = Schema["Obstacle"];

/** The act that settles what keeps somebody, where the reader may do it. */
export function Mend({ obstacle, person, site }: { obstacle: Obstacle; person: Whom; site: string }) {
  const act = useAct();
  const may = useMay();
  const mend = mends[obstacle.act];
  if (!mend || !may(mend.permission, site)) return null;
  const at = inPlace[obstacle.act];
  if (at) {
    return (
      <Button className="shrink-0" onClick={() => act(at, person)}>
        {mend.word}
      </Button>
    );
  }
  const hash = {
    extend_contract: "record",
    issue_badge: "badge",
    resume_badge: "badge",
    add_certificate: "certificate",
  }[obstacle.act];
  return (
    <Link
      to="/staff/$number"
      params={{ number: person.staff_number }}
      hash={hash ?? "assign"}
      className={`${buttonLook()} shrink-0`}
    >
      {mend.word}
    </Link>
  );
}

/** What keeps somebody from working, or is to be settled though it keeps them from nothing, with what settles it. */
export function ObstacleLine({ obstacle, children }: { obstacle: Obstacle; children?: ReactNode }) {
  const look = obstacle.advisory ? "border-rule bg-inset" : "border-soon bg-soon-wash";
  return (
    <p className={`mb-3 flex items-center gap-3 rounded-sm border px-4 py-2.5 ${look}`}>
      <Mark of={obstacle.advisory ? "settle" : "stuck"} />
      <span className="grow">
        {obstacle.sentence} <span className="text-faded">{obstacle.mend}</span>
      </span>
      {children}
    </p>
  );
}

/** Somebody who cannot work as intended: what keeps them, each with the act that mends it. */
export function StuckLine({ person }: { person: Person }) {
  return (
    <div className="space-y-1">
      <div>
        <PersonName person={person} />{" "}
        <span className="text-faded">
          {person.job_title} · {person.home_site.name}
        </span>
      </div>
      {person.obstacles?.map((o) => (
        <div key={o.sentence} className="flex items-start justify-between gap-3">
          <span>
            {o.sentence} <span className="text-faded">{o.mend}</span>
          </span>
          <Mend obstacle={o} person={person} site={person.home_site.code} />
        </div>
      ))}
    </div>
  );
}

/** What waits: today, who is not ready, who leaves. */
export const TodayTabs = () => (
  <Tabs
    label="Today"
    tabs={[
      { to: "/", name: "Today" },
      { to: "/readiness", name: "Not ready" },
      { to: "/leaving", name: "Leaving" },
    ]}
  />
);
