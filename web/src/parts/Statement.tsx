import { ChevronRight } from "lucide-react";
import { Collapsible } from "radix-ui";
import type { Schema } from "@/api/api";

export function Grounds({ grounds }: { grounds: Schema["Ground"][] }) {
  if (!grounds.length) return null;
  return (
    <dl className="grid grid-cols-[7.5rem_minmax(0,1fr)] gap-x-3 gap-y-1 text-dense">
      {grounds.map((g) => (
        <div key={`${g.kind} ${g.text}`} className="contents">
          <dt className="text-faded first-letter:uppercase">{g.kind}</dt>
          <dd>{g.text}</dd>
        </div>
      ))}
    </dl>
  );
}

/** A sentence about what somebody can do, which opens to what it rests on. */
export function Statement({ statement }: { statement: Schema["Statement"] }) {
  return (
    <Collapsible.Root className="border-b border-rule py-3 last:border-b-0">
      <Collapsible.Trigger className="group flex w-full gap-2 text-left">
        <ChevronRight
          size={18}
          className="mt-1 shrink-0 text-brass transition-transform group-data-[state=open]:rotate-90"
          aria-hidden
        />
        <span className={`sentence ${statement.when === "past" ? "text-faded" : ""}`}>
          {statement.sentence} {statement.further}
        </span>
      </Collapsible.Trigger>
      <Collapsible.Content className="mt-2 ml-6.5 space-y-3 border-l-2 border-brass-light pl-4">
        <Grounds grounds={statement.grounds} />
        {statement.doors.length > 0 && (
          <p className="text-dense">
            <span className="text-faded">Doors: </span>
            {statement.doors.map((d) => d.name).join(", ")}
          </p>
        )}
        {statement.abilities.length > 0 && (
          <ul className="text-dense">
            {statement.abilities.map((a) => (
              <li key={a.permission} className="border-t border-rule py-1 first:border-t-0">
                <span className="font-medium first-letter:uppercase inline-block">{a.words}</span>
                {a.sensitive && <span className="ml-2 text-sm font-semibold text-soon">sensitive</span>}
                <span className="block text-sm text-faded">{a.setting}</span>
              </li>
            ))}
          </ul>
        )}
      </Collapsible.Content>
    </Collapsible.Root>
  );
}
