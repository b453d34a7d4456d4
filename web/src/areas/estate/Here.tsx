import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Operation, Place } from "@/api/api";
import { read } from "@/api/read";
import { LocalDialog } from "@/areas/locals/LocalDialog";
import { LocalTable } from "@/areas/locals/LocalTable";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { AssignmentFields, isoToday, useAssignmentChoices } from "@/parts/AssignmentFields";
import { Button } from "@/parts/Button";
import { Reasoned } from "@/parts/change";
import { useZones } from "@/parts/choices";
import { Mark } from "@/parts/Mark";
import { Section } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { howMany, moment } from "@/parts/words";

/** How many are assigned at a place or below, and assigning one more from here. */
export function AssignedHere({ place }: { place: Place }) {
  const may = useMay();
  const [assigning, setAssigning] = useState(false);
  const assigned = useQuery({
    ...read("/staff", { query: { place: place.code, limit: 1 } }),
  });
  const count = assigned.data?.total;
  return (
    <p className="flex flex-wrap items-center gap-x-4 gap-y-2">
      <span>
        {count === undefined && "…"}
        {count === 0 && "Nobody is assigned at this place itself, or below it."}
        {!!count && (
          <Link to="/staff" search={{ place: place.code }} className="text-damson underline underline-offset-2">
            {howMany(count, "person is", "people are")} assigned at this place or below
          </Link>
        )}
      </span>
      {may("console.assign") && !place.retired && (
        <Button onClick={() => setAssigning(true)}>Assign somebody here</Button>
      )}
      {assigning && <AssignHereDialog place={place} close={() => setAssigning(false)} />}
    </p>
  );
}

function AssignHereDialog({ place, close }: { place: Place; close: () => void }) {
  const [who, setWho] = useState("");
  const choices = useAssignmentChoices(place.code, "", isoToday());
  const operations: Operation[] =
    who && choices.place && choices.template ? [{ op: "assignment.add", set: { staff: who, ...choices.set } }] : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Assign somebody at ${place.name}`}
      about="Who works here, as what, and between which days."
    >
      <div className="mb-4 space-y-3">
        <PersonField label="Who" required value={who} onChosen={setWho} />
        <AssignmentFields choices={choices} />
      </div>
      <Reasoned operations={operations} button="Assign" close={close} />
    </Ask>
  );
}

/** What templates give otherwise here, and what is otherwise above or below. */
export function LocalHere({ place }: { place: Place }) {
  const acts = useMay()("console.except");
  const [making, setMaking] = useState(false);
  const locals = useQuery({ ...read("/local-settings", { query: { place: place.code, limit: 200, sort: "place" } }) });
  const items = locals.data?.items ?? [];
  return (
    <Section
      title="Local settings"
      note={acts && !place.retired && <Button onClick={() => setMaking(true)}>Make a local setting</Button>}
    >
      {locals.data && items.length === 0 && (
        <p className="text-faded">No local settings. Templates give here what they give elsewhere.</p>
      )}
      {items.length > 0 && <LocalTable items={items} acts={acts} />}
      {making && <LocalDialog of={{ place: place.code }} close={() => setMaking(false)} />}
    </Section>
  );
}

/** What was decided here last. */
export function LastHere({ place }: { place: Place }) {
  const zones = useZones();
  const events = useQuery({
    ...read("/events", { query: { place: place.code, limit: 5 } }),
    refetchInterval: 10_000,
  });
  return (
    <Section title="What happened here last">
      {events.data?.items.length === 0 && <p className="text-faded">Nobody has shown anything here yet.</p>}
      <ul>
        {events.data?.items.map((e) => (
          <li key={e.id} className="flex flex-wrap items-center gap-x-3 border-b border-rule py-1 last:border-b-0">
            <Mark of={e.outcome === "allow" ? "open" : "shut"} />
            <span className="grow">
              {e.staff ? (
                <Link
                  to="/staff/$number"
                  params={{ number: e.staff.staff_number }}
                  className="text-damson underline underline-offset-2"
                >
                  {e.staff.name}
                </Link>
              ) : (
                "Somebody unknown"
              )}
              {e.outcome === "refuse" && `: ${e.reason.replaceAll("_", " ")}`}
              {e.place.code !== place.code && `, ${e.place.name}`}
            </span>
            <span className="text-faded">{moment(e.at, zones(e.place.code))}</span>
          </li>
        ))}
      </ul>
    </Section>
  );
}
