import { Link } from "@tanstack/react-router";
import type { ChangeResult } from "@/api/api";
import { Button, buttonLook } from "@/parts/Button";
import { Page } from "@/parts/Page";
import { Statement } from "@/parts/Statement";
import { SecretSlip } from "@/parts/secrets";

/** What was made of somebody, with what is shown once. */
export function Enrolled({ result, name, again }: { result: ChangeResult; name: string; again: () => void }) {
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
          <p key={o.code} className="rounded-sm bg-soon-wash px-3 py-2 text-soon">
            {o.sentence} {o.mend}
          </p>
        ))}
      </div>
    </Page>
  );
}
