import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import type { Staff } from "@/api/api";
import { ownValue, useOwnFields } from "@/parts/OwnFields";
import { day, engagementWord } from "@/parts/words";

export function Record({ staff }: { staff: Staff }) {
  const own = useOwnFields();
  const lines: [string, ReactNode][] = [
    ["Known as", staff.known_as],
    ["Engagement", [engagementWord[staff.engagement ?? "employee"], staff.employer].filter(Boolean).join(", ")],
    [
      "Line manager",
      staff.line_manager && (
        <Link to="/staff/$number" params={{ number: staff.line_manager.staff_number }} className="hover:underline">
          {staff.line_manager.name}
        </Link>
      ),
    ],
    [
      "Teams",
      staff.teams?.map((t) => (
        <Link key={t.code} to="/teams/$code" params={{ code: t.code }} className="block hover:underline">
          {t.name}
          {t.lead && ", leads it"}
        </Link>
      )),
    ],
    ["Start", day(staff.start_date)],
    ["Contract end", day(staff.contract_end)],
    ["Leaves", day(staff.leaving_date)],
    ["Email", staff.email],
    ["Phone", staff.phone],
    [
      "Emergency",
      staff.emergency_contact || staff.emergency_phone ? (
        <>
          {staff.emergency_contact}{" "}
          {staff.emergency_phone && (
            <a href={`tel:${staff.emergency_phone.replace(/[^+\d]/g, "")}`} className="whitespace-nowrap underline">
              {staff.emergency_phone}
            </a>
          )}
        </>
      ) : undefined,
    ],
    ["Driving licence", staff.driving_licence],
    ["Insurance number", staff.insurance_number],
    ...own.map((f): [string, ReactNode] => [f.name, ownValue(f, staff.own)]),
    ["External id", staff.external_id],
    ["Notes", staff.notes],
  ];
  return (
    <dl className="grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1">
      {lines
        .filter(([, value]) => value)
        .map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-faded">{name}</dt>
            <dd className="min-w-0 break-words">{value}</dd>
          </div>
        ))}
    </dl>
  );
}
