import { useEffect, useRef } from "react";
import type { Schema } from "@/api/api";
import { Button } from "./Button";

/** Something generated, on show once. It takes the focus: a key too many puts nothing away that nobody has read. */
export function SecretSlip({ secret }: { secret: Schema["Secret"] }) {
  const name = { pin: "PIN", password: "First password", device_token: "Token" }[secret.kind];
  const slip = useRef<HTMLDivElement>(null);
  useEffect(() => slip.current?.focus(), []);
  return (
    <div
      ref={slip}
      role="status"
      tabIndex={-1}
      className="rounded-sm border-2 border-dashed border-brass bg-soon-wash px-4 py-3"
    >
      <p className="text-sm font-semibold text-soon">
        {name} of {secret.owner}, shown this once
      </p>
      <p data-secret={secret.kind} className="text-2xl font-bold tracking-code select-all">
        {secret.value}
      </p>
      <p className="text-sm text-faded">Hand it over now. If it is lost, issue a new one.</p>
    </div>
  );
}

/** What an act has generated, until somebody puts it away. */
export function Handed({ secrets, close }: { secrets: Schema["Secret"][]; close: () => void }) {
  return (
    <div className="space-y-4">
      {secrets.map((s) => (
        <SecretSlip key={s.value} secret={s} />
      ))}
      {secrets.length === 0 && (
        <p role="alert">
          This was done before, and what was generated then is shown no more. Issue another if nobody has it.
        </p>
      )}
      <Button look="main" onClick={close}>
        Done
      </Button>
    </div>
  );
}

/** PINs of several people, on show once. */
export function PINTable({ pins }: { pins: { staff_number: string; name?: string; pin: string }[] }) {
  return (
    <table className="block max-h-72 overflow-auto text-dense">
      <tbody>
        {pins.map((p) => (
          <tr key={p.staff_number} className="border-t border-brass-light first:border-t-0">
            <td className="py-0.5 pr-3">{p.staff_number}</td>
            {p.name && <td className="py-0.5 pr-3">{p.name}</td>}
            <td className="py-0.5 font-bold tracking-code" data-secret="pin">
              {p.pin}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
