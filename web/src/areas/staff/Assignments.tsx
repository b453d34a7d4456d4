import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema, Staff } from "@/api/api";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Button } from "@/parts/Button";
import { Section } from "@/parts/Page";
import { day } from "@/parts/words";
import { AssignmentDialog, EndDialog, StaffHoursDialog } from "./AssignmentDialogs";
import { MoveDialog } from "./MoveDialog";

export function Assignments({ staff, self }: { staff: Staff; self: boolean }) {
  const may = useMay();
  const number = staff.staff_number;
  const [hours, setHours] = useState(false);
  const [ending, setEnding] = useState<Schema["Assignment"]>();
  const [editing, setEditing] = useState<Schema["Assignment"]>();
  const [moving, setMoving] = useState<Schema["Assignment"]>();
  const list = useQuery({
    ...read("/assignments", { query: { staff: number, limit: 500 } }),
  });
  if (!list.data?.items.length) return null;
  return (
    <Section title="Assignments">
      <div className="overflow-x-auto">
        <table className="w-full">
          <thead>
            <tr className="text-left text-sm text-faded">
              <th className="py-1 font-semibold">Works as</th>
              <th className="font-semibold">Where</th>
              <th className="font-semibold">From</th>
              <th className="font-semibold">Until</th>
              <th className="font-semibold">Hours</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.data.items.map((a) => (
              <tr
                key={a.id}
                className={`border-t border-rule align-top [&>td]:py-1.5 ${a.when === "past" ? "text-faded" : ""}`}
              >
                <td className="py-1.5 pr-3 font-semibold">
                  {a.template_name}
                  {a.covers && <span className="block text-sm font-normal text-faded">covers {a.covers.name}</span>}
                  {a.covered_by?.map((c) => (
                    <span key={`${c.staff.staff_number} ${c.from}`} className="block text-sm font-normal text-faded">
                      {c.staff.name} covers {day(c.from)} to {day(c.until)}
                    </span>
                  ))}
                </td>
                <td className="pr-3">
                  <Link to="/estate/$code" params={{ code: a.place.code }} className="hover:underline">
                    {a.place.name}
                  </Link>
                </td>
                <td className="pr-3 whitespace-nowrap">{day(a.from) || "–"}</td>
                <td className="pr-3 whitespace-nowrap">{day(a.until) || "open"}</td>
                <td className="pr-3">
                  {a.hours_words}
                  <span className="block text-sm text-faded">{a.hours_by}</span>
                </td>
                <td className="text-right whitespace-nowrap">
                  {may("console.assign") && !self && a.when !== "ended" && (
                    <Button
                      look="quiet"
                      className="min-h-0 px-1"
                      aria-label={`Change ${a.template_name} at ${a.place.name}`}
                      onClick={() => setEditing(a)}
                    >
                      Change
                    </Button>
                  )}
                  {may("console.assign") && !self && a.when !== "past" && a.when !== "ended" && (
                    <>
                      <Button look="quiet" className="min-h-0 px-1" onClick={() => setMoving(a)}>
                        Move
                      </Button>
                      <Button look="quiet" className="min-h-0 px-1" onClick={() => setEnding(a)}>
                        End
                      </Button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {!staff.narrow && (staff.hours_words || (may("console.assign", staff.home_site.code) && !self)) && (
        <p className="mt-2 border-t border-rule pt-2">
          {staff.hours_words ? (
            <>
              <b className="font-semibold">Access hours of {staff.known_as || staff.given_name}’s own</b>, for
              assignments that state none: {staff.hours_words}.{" "}
            </>
          ) : (
            <span className="text-faded">Assignments that state no hours have those of their template. </span>
          )}
          {may("console.assign", staff.home_site.code) && !self && (
            <Button look="quiet" className="min-h-0 px-1" onClick={() => setHours(true)}>
              {staff.hours_words ? "Change the hours" : "Give hours of their own"}
            </Button>
          )}
        </p>
      )}
      {hours && <StaffHoursDialog staff={staff} close={() => setHours(false)} />}
      {editing && <AssignmentDialog assignment={editing} close={() => setEditing(undefined)} />}
      {moving && <MoveDialog assignment={moving} home={staff.home_site} close={() => setMoving(undefined)} />}
      {ending && <EndDialog assignment={ending} close={() => setEnding(undefined)} />}
    </Section>
  );
}
