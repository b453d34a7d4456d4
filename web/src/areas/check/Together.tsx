import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { useMay } from "@/areas/session/session";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { ChangeDialog } from "@/parts/change";
import { DateField } from "@/parts/DateField";
import { Mend } from "./Mend";

type Step = Schema["Advice"];
type Chosen = Record<string, string>;

const dateLabels: Record<string, string> = { until: "Until", contract_end: "New contract end" };

/** Whether a step is done by its operation alone: a certificate has a number that only its holder can show. */
const byButton = (step: Step) => step.operation !== undefined && step.operation.op !== "certificate.add";

const made = (step: Step, chosen: Chosen): Operation => {
  const { op, on, set } = step.operation!;
  return {
    op,
    ...(on && { on }),
    set: { ...(set as object), ...chosen },
  };
};

/** Everything that blocks a person, in the order in which to fix it, and one button that does what it can. */
export function Together({ d, again }: { d: Schema["Decision"]; again: () => void }) {
  const steps = d.advice ?? [];
  const may = useMay();
  const [chosen, setChosen] = useState<Record<number, Chosen>>({});
  const [making, setMaking] = useState(false);
  const choose = (i: number, field: string, value: string) =>
    setChosen((all) => ({ ...all, [i]: { ...all[i], [field]: value } }));
  const done = steps.flatMap((step, i) => (byButton(step) && may(step.needs!) ? [made(step, chosen[i] ?? {})] : []));
  return (
    <>
      <p>Everything that blocks access, in this order:</p>
      <ol className="mt-2 list-decimal space-y-3 pl-6">
        {steps.map((step, i) => (
          <li key={`${step.reason} ${step.sentence}`}>
            <p>
              {step.sentence} <span className="text-faded">{step.remedy}</span>
            </p>
            {step.operation?.op === "exception.add" && (
              <p className="text-sm text-faded">
                Together with the others it is done by an exception.
                {step.templates && ` Templates that include it: ${step.templates.map((t) => t.name).join(", ")}.`}
              </p>
            )}
            <Mend d={{ ...d, reason: step.reason }} />
            {byButton(step) && (
              <div className="mt-1 grid max-w-lg gap-2 sm:grid-cols-2">
                {step.asks?.includes("template") && (
                  <Combobox
                    label="Template"
                    value={chosen[i]?.template ?? (step.operation!.set as Chosen).template ?? ""}
                    onChange={(e) => choose(i, "template", e.target.value)}
                    options={step.templates?.map((t) => ({ value: t.code, label: t.name }))}
                    hint="Those with the fewest other permissions come first."
                  />
                )}
                {step.asks
                  ?.filter((field) => field in dateLabels)
                  .map((field) => (
                    <DateField
                      key={field}
                      label={dateLabels[field]!}
                      optional
                      type="date"
                      value={chosen[i]?.[field] ?? ""}
                      onChange={(e) => choose(i, field, e.target.value)}
                      hint="If empty, no end."
                    />
                  ))}
              </div>
            )}
          </li>
        ))}
      </ol>
      {done.length > 0 && (
        <Button look="main" className="mt-4" onClick={() => setMaking(true)}>
          {done.length === steps.length ? `Do all ${done.length} together` : `Do ${done.length} of ${steps.length}`}
        </Button>
      )}
      {making && d.staff && (
        <ChangeDialog
          title={`Let ${d.staff.name} in`}
          about={`${done.length === 1 ? "One step" : `${done.length} steps`} in one change. One undo takes all of it back.`}
          operations={done}
          button="Do it"
          done={again}
          close={() => setMaking(false)}
        />
      )}
    </>
  );
}
