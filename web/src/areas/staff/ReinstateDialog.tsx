import { useRef, useState } from "react";
import type { ChangeResult, Operation, Staff } from "@/api/api";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { AssignmentChoice, useAssignments } from "@/parts/AssignmentChoice";
import { Reasoned } from "@/parts/change";
import { Handed } from "@/parts/secrets";

/** Brings somebody back who has left: with which of their assignments, and with a new PIN or the one before. */
export function ReinstateDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const number = staff.staff_number;
  const may = useMay();
  const assignments = useAssignments(number);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const [pin, setPin] = useState(false);
  const [made, setMade] = useState<ChangeResult>();
  const shown = useRef(false);
  const operations: Operation[] = [
    { op: "staff.reinstate", on: number },
    ...assignments.open
      .filter((a) => left.has(a.id))
      .map((a) => ({ op: "assignment.end", on: String(a.id) }) satisfies Operation),
    ...(pin ? [{ op: "pin.set", set: { staff: number } }] : []),
  ];
  if (made)
    return (
      <Ask
        open
        fixed
        onOpenChange={close}
        title={`${staff.given_name} ${staff.family_name} is back`}
        about="Hand the PIN over."
      >
        <Handed secrets={made.secrets} close={close} />
      </Ask>
    );
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Reinstate ${staff.given_name} ${staff.family_name}`}
      about="The leaving is taken back. What is chosen counts again; what is not ends."
    >
      <div className="mb-4 space-y-3">
        <AssignmentChoice legend="Comes back" of={assignments} left={left} leave={setLeft} />
        {may("console.credentials", staff.home_site.code) && (
          <label className="flex items-start gap-2.5">
            <input
              type="checkbox"
              className="mt-1 size-4 accent-damson"
              checked={pin}
              onChange={(e) => setPin(e.target.checked)}
            />
            <span>
              A new PIN
              <span className="block text-sm text-faded">
                Otherwise the one before counts again. A badge that was not taken back is suspended until somebody lets
                it count.
              </span>
            </span>
          </label>
        )}
      </div>
      <Reasoned
        operations={operations}
        button="Reinstate"
        draftable={!pin}
        close={() => shown.current || close()}
        done={(result) => {
          shown.current = result.secrets.length > 0;
          if (shown.current) setMade(result);
        }}
      />
    </Ask>
  );
}
