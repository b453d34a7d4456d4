import { Link } from "@tanstack/react-router";
import type { ChangeResult } from "@/api/api";
import { Button, buttonLook } from "@/parts/Button";
import { Page } from "@/parts/Page";
import { Statement } from "@/parts/Statement";
import { SecretSlip } from "@/parts/secrets";
import { Mend, ObstacleLine } from "@/parts/stuck";

/** What was made of somebody, with what is shown once. */
export function Enrolled({
  result,
  name,
  site,
  again,
}: {
  result: ChangeResult;
  name: string;
  site: string;
  again: () => void;
}) {
  const number = result.made.find((m) => m.kind === "staff")?.code ?? "";
  return (
    <Page
      title={`${name} is enrolled`}
      lead={`Staff number ${number}`}
      acts={
        <>
          <Link to="/staff/$number" params={{ number }} className={buttonLook()}>
            Open {name}
          </Link>
          <Button look="main" onClick={again}>
            Enrol another
          </Button>
        </>
      }
    >
      <div className="max-w-2xl space-y-5">
        {result.secrets.map((s) => (
          <SecretSlip key={s.value} secret={s} />
        ))}
        {result.people[0]?.statements.map((s) => (
          <Statement key={s.sentence} statement={s} />
        ))}
        {result.people[0]?.obstacles.map((o) => (
          <ObstacleLine key={o.code} obstacle={o}>
            <Mend obstacle={o} person={{ staff_number: number, name }} site={site} />
          </ObstacleLine>
        ))}
      </div>
    </Page>
  );
}
