import type { Schema } from "@/api/api";

/** Something generated, on show once. */
export function SecretSlip({ secret }: { secret: Schema["Secret"] }) {
  const name = { pin: "PIN", password: "First password", device_token: "Token" }[secret.kind];
  return (
    <div className="rounded-sm border-2 border-dashed border-brass bg-soon-wash px-4 py-3">
      <p className="text-sm font-semibold text-soon">
        {name} of {secret.owner}, shown this once
      </p>
      <p data-secret={secret.kind} className="text-2xl font-bold tracking-code select-all">
        {secret.value}
      </p>
      <p className="text-sm text-faded">Hand it over now. It is kept nowhere; if it is lost, issue a new one.</p>
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
