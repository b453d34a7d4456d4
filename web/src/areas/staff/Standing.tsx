import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schema, Staff } from "@/api/api";
import { read } from "@/api/read";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { useZones } from "@/parts/choices";
import { Paused } from "@/parts/Paused";
import { ObstacleLine } from "@/parts/stuck";
import { moment } from "@/parts/words";
import { LockedAt } from "./LockedAt";
import { useLocking } from "./PersonActs";

/** What keeps somebody from all or some of what is said below it: a lock, bars, what they lack. */
export function Standing({ staff, self, obstacles }: { staff: Staff; self: boolean; obstacles: Schema["Obstacle"][] }) {
  const { lockable, barrable } = useLocking(staff, self);
  const zones = useZones();
  const bars = useQuery(read("/bars", { query: { staff: staff.staff_number, limit: 50 } }));
  const [lifting, setLifting] = useState<Schema["Bar"]>();
  return (
    <>
      {staff.lock && (
        <p className="mb-5 rounded-sm border border-shut bg-shut-wash px-4 py-2.5 sentence">
          <b>Locked</b> since {moment(staff.lock.since, zones(staff.home_site.code))}
          {staff.lock.by && ` by ${staff.lock.by.name}`}: {staff.lock.reason}
          {staff.lock.until && `, until ${moment(staff.lock.until, zones(staff.home_site.code))}`}. Nothing below counts
          until unlocked.
        </p>
      )}
      {staff.lock && lockable && <LockedAt number={staff.staff_number} since={staff.lock.since} />}
      {!!staff.paused?.length && (
        <ul className="mb-5 rounded-sm border border-soon bg-soon-wash px-4">
          {staff.paused.map((p) => (
            <Paused
              key={p.place.code}
              paused={{ ...p, staff: { staff_number: staff.staff_number, name: staff.given_name } }}
            />
          ))}
        </ul>
      )}
      {staff.narrow && (
        <p className="mb-5 rounded-sm border border-rule bg-inset px-4 py-2.5 sentence">
          {staff.given_name} works here and belongs to another site. You see what {staff.given_name} does at your
          places, and may bar {staff.given_name} from them; all else is for whoever looks after the home site.
        </p>
      )}
      {bars.data?.items.map((b) => (
        <p
          key={b.id}
          className="mb-3 flex flex-wrap items-center gap-3 rounded-sm border border-shut bg-shut-wash px-4 py-2.5"
        >
          <span className="grow">
            <b>Barred</b> from {b.place.name} since {moment(b.since, zones(b.place.code))}
            {b.by && ` by ${b.by.name}`}: {b.reason}
            {b.until && `, until ${moment(b.until, zones(b.place.code))}`}.
          </span>
          {barrable && (
            <Button className="shrink-0" onClick={() => setLifting(b)}>
              Lift the bar
            </Button>
          )}
        </p>
      ))}
      {obstacles
        .filter((o) => o.code !== "locked" && o.code !== "barred")
        .map((o) => (
          <ObstacleLine key={o.sentence} obstacle={o} />
        ))}
      {lifting && (
        <ChangeDialog
          title={`Lift the bar of ${staff.given_name}`}
          about={`From ${lifting.place.name}. What was given there before counts again at once.`}
          operations={[{ op: "bar.end", on: String(lifting.id) }]}
          button="Lift the bar"
          draftable={false}
          close={() => setLifting(undefined)}
        />
      )}
    </>
  );
}
