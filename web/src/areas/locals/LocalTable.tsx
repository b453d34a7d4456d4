import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { day } from "@/parts/words";
import { LocalEdit } from "./LocalEdit";

type Local = Schema["LocalSetting"];

/** Local settings as rows, each to be changed and ended by whoever may. */
export function LocalTable({ items, acts }: { items: Local[]; acts: boolean }) {
  const [editing, setEditing] = useState<Local>();
  const [ending, setEnding] = useState<{ title: string; about: string; button: string; operations: Operation[] }>();
  return (
    <div className="sheet overflow-x-auto">
      <table className="w-full">
        <thead className="bg-inset text-left text-sm text-faded">
          <tr>
            <th className="px-3 py-1.5 font-semibold">Template</th>
            <th className="px-2 font-semibold">What</th>
            <th className="px-2 font-semibold">Where</th>
            <th className="px-2 font-semibold">From</th>
            <th className="px-2 font-semibold">Until</th>
            <th className="px-2 font-semibold">Why</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {items.map((l) => (
            <Row
              key={l.id}
              of={l}
              acts={acts}
              change={() => setEditing(l)}
              end={() =>
                setEnding({
                  title: "End the local setting",
                  about: `${l.title} of ${l.template_name}, ${l.level} at ${l.place.name}. The record is kept.`,
                  button: "End it",
                  operations: [{ op: "local_setting.end", on: String(l.id) }],
                })
              }
            />
          ))}
        </tbody>
      </table>
      {editing && <LocalEdit local={editing} close={() => setEditing(undefined)} />}
      {ending && <ChangeDialog {...ending} close={() => setEnding(undefined)} />}
    </div>
  );
}

function Row({ of: l, acts, change, end }: { of: Local; acts: boolean; change: () => void; end: () => void }) {
  const name = `${l.title} of ${l.template_name} at ${l.place.name}`;
  return (
    <tr className="border-t border-rule align-top">
      <td className="px-3 py-1.5">
        <Link to="/templates/$code" params={{ code: l.template }} className="font-semibold hover:underline">
          {l.template_name}
        </Link>
      </td>
      <td className="px-2 py-1.5">
        {l.title}
        <span className="block text-sm">
          <b className="font-semibold">{l.level}</b>
          <span className="text-faded">, elsewhere {l.otherwise}</span>
        </span>
      </td>
      <td className="px-2 py-1.5">
        <Link to="/estate/$code" params={{ code: l.place.code }} className="hover:underline">
          {l.place.name}
        </Link>
      </td>
      <td className="px-2 py-1.5 whitespace-nowrap">{day(l.from) || "since it was created"}</td>
      <td className={`px-2 py-1.5 whitespace-nowrap ${l.when === "past" ? "text-faded line-through" : ""}`}>
        {day(l.until) || "open"}
      </td>
      <td className="px-2 py-1.5">{l.reason}</td>
      <td className="py-1.5 pr-2 text-right whitespace-nowrap">
        {acts && !l.ended && (
          <>
            <Button look="quiet" className="min-h-0 px-1" aria-label={`Change ${name}`} onClick={change}>
              Change
            </Button>
            <Button look="quiet" className="min-h-0 px-1" aria-label={`End ${name}`} onClick={end}>
              End
            </Button>
          </>
        )}
      </td>
    </tr>
  );
}
