import type { Schema } from "@/api/api";
import { Button } from "./Button";
import { moment } from "./words";

type Session = Schema["Session"];

const scopeWord: Record<string, string> = {
  read: "reads only",
  daily: "the daily job",
  everything: "all that its holder may",
};

const kindWord: Record<Session["kind"], string> = {
  console: "Console",
  client: "Client",
  feed: "Calendar address",
  visit: "Visit at a terminal",
  pin_link: "Link to choose a PIN",
  password_link: "Link to choose a password",
  plan: "Planned draft",
  device: "Device",
};

/** What one line says beside its name. */
function about(s: Session) {
  const parts = [];
  if (s.kind === "device") parts.push(`at ${s.address}; they saw its token when it was connected`);
  else if (s.created_at)
    parts.push(
      `${s.kind.endsWith("_link") ? "sent" : s.kind === "plan" ? "planned" : "begun"} ${moment(s.created_at)}${s.address ? ` from ${s.address}` : ""}`,
    );
  if (s.last_used) parts.push(`used ${moment(s.last_used)}`);
  if (s.expires_at) parts.push(`${s.kind === "plan" ? "applies" : "until"} ${moment(s.expires_at)}`);
  if (s.kind === "client" && s.scope) parts.push(scopeWord[s.scope]);
  return parts.join(" · ");
}

/** All that acts for a person, with the act that ends each. */
export function Acting({ list, end, busy }: { list: Session[]; end: (one: Session) => void; busy: boolean }) {
  return (
    <ul>
      {list.map((s) => (
        <li
          key={`${s.kind} ${s.id} ${s.name}`}
          className="flex items-start justify-between gap-3 border-b border-rule py-2 last:border-b-0"
        >
          <span>
            <b className="font-semibold">{kindWord[s.kind]}</b> {s.name}
            {s.present && <span className="text-open"> this one</span>}
            <span className="block text-sm text-faded">{about(s)}</span>
          </span>
          {!s.present && s.id && (
            <Button className="shrink-0" disabled={busy} onClick={() => end(s)}>
              {s.kind === "plan" ? "Take back the plan" : "End it"}
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}
