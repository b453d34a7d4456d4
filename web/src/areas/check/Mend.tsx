import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "@/api/api";
import { ExceptionDialog } from "@/areas/exceptions/ExceptionDialog";
import { useMay } from "@/areas/session/session";
import { type Act, useAct } from "@/parts/acts";
import { Button, buttonLook } from "@/parts/Button";

/** The urgent acts that mend a refusal, each with the permission that it takes. */
const acts: Partial<Record<string, { act: Act; word: string; needs: string }>> = {
  locked: { act: "unlock", word: "Unlock", needs: "console.lock" },
  left: { act: "reinstate", word: "Reinstate", needs: "console.leave" },
  not_started: { act: "activate", word: "Activate now", needs: "console.edit_staff" },
  credential_not_valid: { act: "pin", word: "Issue a new PIN", needs: "console.credentials" },
};

/** What is mended where: on the person's page, or at the place. */
const onTheirPage: Partial<Record<string, string>> = {
  contract_ended: "Change the contract end",
  barred_here: "Lift the bar",
  no_assignment_here: "Assign",
  assignment_not_in_its_dates: "Change the dates",
  qualification_missing: "Record a certificate",
  notice_not_accepted: "Record the notice as accepted",
  proof_not_sufficient: "Issue a badge or a PIN",
  outside_access_hours: "Change the hours",
};

/** The button that mends a refusal, for whoever may. */
export function Mend({ d }: { d: Schema["Decision"] }) {
  const may = useMay();
  const act = useAct();
  const [making, setMaking] = useState(false);
  const of = acts[d.reason];
  if (d.reason === "place_retired" && d.place)
    return (
      <Link to="/estate/$code" params={{ code: d.place.code }} className={buttonLook("main")}>
        Open {d.place.name}
      </Link>
    );
  if (!d.staff) return null;
  const { staff_number, name } = d.staff;
  const excepting = d.reason === "permission_not_in_template" || d.reason === "permission_withheld";
  return (
    <div className="mt-3 flex flex-wrap gap-2">
      {of && may(of.needs) && (
        <Button look="main" onClick={() => act(of.act, { staff_number, name })}>
          {of.word}
        </Button>
      )}
      {d.reason === "permission_not_in_template" && may("console.except") && (
        <Button look="main" onClick={() => setMaking(true)}>
          Make an exception
        </Button>
      )}
      {(onTheirPage[d.reason] || excepting) && (
        <Link to="/staff/$number" params={{ number: staff_number }} className={buttonLook("plain")}>
          {onTheirPage[d.reason] ?? (d.reason === "permission_withheld" ? "End the exception" : "Another template")} on
          their page
        </Link>
      )}
      {making && (
        <ExceptionDialog
          staff={staff_number}
          name={name}
          site={d.place?.code ?? ""}
          permission={d.permission ?? ""}
          close={() => setMaking(false)}
        />
      )}
    </div>
  );
}
