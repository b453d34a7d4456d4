import { useMutation } from "@tanstack/react-query";
import { ChevronRight } from "lucide-react";
import { Collapsible } from "radix-ui";
import { type ReactNode, useState } from "react";
import type { Schema } from "@/api/api";
import { Button } from "./Button";
import { Wrong } from "./Wrong";

type Line = Schema["EffectLine"];
type Managing = Schema["ManagingLine"];
type Person = Schema["StaffRef"];
/** Reads all the people of one line, where the effect names only the first. */
export type ReadPeople = (line: string) => Promise<Person[]>;

/** Who gains and who loses: a sentence, and each group opening to its people. */
export function Effects({ effect, open, people }: { effect: Schema["Effect"]; open?: boolean; people?: ReadPeople }) {
  const lines = [...effect.gains, ...effect.losses];
  if (effect.managing.length === 0 && (lines.length === 0 || (lines.length === 1 && lines[0].people === 1))) {
    return (
      <p className="mt-1 font-medium text-damson">
        {effect.summary} {lines[0]?.sensitive && <Sensitive />}
      </p>
    );
  }
  return (
    <details className="mt-1" open={open}>
      <summary className="font-medium text-damson">{effect.summary}</summary>
      <ul className="mt-1 max-h-72 overflow-auto">
        {effect.gains.map((l) => (
          <Group key={l.key} line={l} sign="+" people={people} />
        ))}
        {effect.losses.map((l) => (
          <Group key={l.key} line={l} sign="−" people={people} />
        ))}
        {effect.managing.map((l) => (
          <Manages key={l.key} line={l} people={people} />
        ))}
      </ul>
    </details>
  );
}

const Sensitive = () => <span className="ml-1.5 font-semibold text-soon">sensitive</span>;

/** Whom a manager can no longer manage, or can from now on. */
function Manages({ line, people }: { line: Managing; people?: ReadPeople }) {
  return (
    <Opening
      line={line}
      people={people}
      words={
        <>
          <b className={line.lost ? "text-soon" : "text-open"}>{line.lost ? "!" : "+"}</b> {line.words}
        </>
      }
    />
  );
}

function Group({ line, sign, people }: { line: Line; sign: string; people?: ReadPeople }) {
  return (
    <Opening
      line={line}
      people={people}
      words={
        <>
          <b className={sign === "+" ? "text-open" : "text-shut"}>{sign}</b> {line.words}
          {line.sensitive && <Sensitive />}
        </>
      }
    >
      <p className="text-faded">
        {line.before !== line.after && `${line.before} → ${line.after}. `}
        Assigned at {line.places.map((p) => p.name).join(", ")}
        {line.places.length === 20 && " and more"}.
      </p>
    </Opening>
  );
}

/** A line that opens to its people. */
function Opening({
  line,
  words,
  people,
  children,
}: {
  line: Line | Managing;
  words: ReactNode;
  people: ReadPeople | undefined;
  children?: ReactNode;
}) {
  const [all, setAll] = useState<Person[]>();
  const read = useMutation({ mutationFn: () => people!(line.key), onSuccess: setAll });
  const shown = all ?? line.staff;
  return (
    <li className="border-t border-rule first:border-t-0">
      <Collapsible.Root>
        <Collapsible.Trigger className="group flex w-full items-start gap-1.5 py-1 text-left">
          <ChevronRight size={16} className="mt-1 shrink-0 text-brass group-data-[state=open]:rotate-90" aria-hidden />
          <span>{words}</span>
        </Collapsible.Trigger>
        <Collapsible.Content className="mb-2 ml-6 border-l-2 border-brass-light pl-3 text-dense">
          {children}
          <p>{shown.map((p) => p.name).join(", ")}</p>
          {shown.length < line.people && (
            <p className="text-faded">
              and {line.people - shown.length} more{" "}
              {people && (
                <Button look="quiet" className="min-h-0 px-1" disabled={read.isPending} onClick={() => read.mutate()}>
                  Show all
                </Button>
              )}
            </p>
          )}
          <Wrong error={read.error} />
        </Collapsible.Content>
      </Collapsible.Root>
    </li>
  );
}

/** What a change writes, step by step in words. */
export function Steps({ steps, total }: { steps: Schema["Step"][]; total: number }) {
  return (
    <ol className="text-dense">
      {steps.map((s, i) => (
        // The steps of a change have no names of their own, and their order is theirs.
        // biome-ignore lint/suspicious/noArrayIndexKey: they never change places
        <li key={i} className="border-t border-rule py-1 first:border-t-0">
          {s.words}
          {s.reason && <span className="text-faded"> “{s.reason}”</span>}
          <Changes changes={s.changes} />
        </li>
      ))}
      {total > steps.length && <li className="pt-1 text-faded">and {total - steps.length} more steps</li>}
    </ol>
  );
}

export function Changes({ changes }: { changes: Schema["StepChange"][] }) {
  if (!changes.length) return null;
  return (
    <span className="block text-sm text-faded">
      {changes.map((c, i) => (
        <span key={c.field}>
          {i > 0 && " · "}
          {c.field}: {c.was && <s className="text-shut">{c.was}</s>}{" "}
          <span className="text-open">{c.now || "not set"}</span>
        </span>
      ))}
    </span>
  );
}
