import { Link } from "@tanstack/react-router";
import type { Schema } from "@/api/api";
import { useMay } from "@/areas/session/session";
import { useAct } from "./acts";
import { Button, buttonLook } from "./Button";
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

/** Somebody who cannot work as intended: what keeps them, each with the act that mends it. */
export function StuckLine({ person }: { person: Person }) {
  const act = useAct();
  const may = useMay();
  return (
    <div className="space-y-1">
      <div>
        <PersonName person={person} />{" "}
        <span className="text-faded">
          {person.job_title} · {person.home_site.name}
        </span>
      </div>
      {person.obstacles?.map((o) => {
        const mend = mends[o.act];
        return (
          <div key={o.sentence} className="flex items-start justify-between gap-3">
            <span>
              {o.sentence} <span className="text-faded">{o.mend}</span>
            </span>
            {mend &&
              may(mend.permission, person.home_site.code) &&
              (o.act === "issue_pin" || o.act === "unlock" ? (
                <Button className="shrink-0" onClick={() => act(o.act === "unlock" ? "unlock" : "pin", person)}>
                  {mend.word}
                </Button>
              ) : (
                <Link
                  to="/staff/$number"
                  params={{ number: person.staff_number }}
                  hash={
                    {
                      extend_contract: "record",
                      issue_badge: "badge",
                      resume_badge: "badge",
                      add_certificate: "certificate",
                    }[o.act] ?? "assign"
                  }
                  className={`${buttonLook()} shrink-0`}
                >
                  {mend.word}
                </Link>
              ))}
          </div>
        );
      })}
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
