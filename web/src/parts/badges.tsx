import { AlertTriangle, Ban, Check, Clock, Package, Trash2 } from "lucide-react";
import { useState } from "react";
import type { Schema } from "@/api/api";
import { useMay, useMe } from "@/areas/session/session";
import { Button } from "./Button";
import { ChangeDialog } from "./change";
import { late } from "./late";

export type Badge = Schema["Badge"];

/** Names a badge and no other. */
export const badgeReference = (b: { format: string; number: string }) => `${b.format}:${b.number}`;

type Act = "lost" | "found" | "back" | "return" | "suspend" | "resume" | "destroy" | "issue" | "replace";

const marks = {
  stock: { icon: Package, look: "text-faded bg-inset", word: "In stock" },
  issued: { icon: Check, look: "text-open bg-open-wash", word: "Issued" },
  suspended: { icon: Ban, look: "text-soon bg-soon-wash", word: "Suspended" },
  overdue: { icon: Clock, look: "text-soon bg-soon-wash", word: "Overdue" },
  lost: { icon: AlertTriangle, look: "text-shut bg-shut-wash", word: "Lost" },
  destroyed: { icon: Trash2, look: "text-faded bg-inset", word: "Destroyed" },
};

/** Where a badge is: icon, word and colour together. */
export function BadgeMark({ state }: { state: Badge["state"] }) {
  const { icon: Icon, look, word } = marks[state];
  return (
    <span
      className={`inline-flex items-center gap-1 rounded-sm px-1.5 py-px text-sm font-semibold whitespace-nowrap ${look}`}
    >
      <Icon size={14} aria-hidden />
      {word}
    </span>
  );
}

const words: Record<
  Exclude<Act, "issue" | "replace">,
  { button: string; title: string; about: string; op: string; confirm: string }
> = {
  lost: {
    button: "Report lost",
    title: "Report the badge # lost",
    about: "Every door refuses it from the moment this is done.",
    op: "badge.lost",
    confirm: "Report it lost",
  },
  found: {
    button: "Found",
    title: "Record that the badge # was found",
    about: "It goes into stock. Whoever had it keeps nothing of it.",
    op: "badge.found",
    confirm: "Record it as found",
  },
  back: {
    button: "Found, back to its holder",
    title: "Give the badge # back to its holder",
    about: "It counts again at once.",
    op: "badge.found",
    confirm: "Give it back",
  },
  return: {
    button: "Take back",
    title: "Take back the badge #",
    about: "It is in stock again, and opens nothing.",
    op: "badge.return",
    confirm: "Take it back",
  },
  suspend: {
    button: "Suspend",
    title: "Suspend the badge #",
    about: "It opens nothing until it is resumed. The holder keeps it.",
    op: "badge.suspend",
    confirm: "Suspend it",
  },
  resume: {
    button: "Resume",
    title: "Resume the badge #",
    about: "It counts again at once.",
    op: "badge.resume",
    confirm: "Resume it",
  },
  destroy: {
    button: "Destroyed",
    title: "Record the badge # as destroyed",
    about: "It opens nothing any more. Its history stays.",
    op: "badge.destroy",
    confirm: "Record it as destroyed",
  },
};

// They bring what finds people along, which a list of badges does without until somebody acts.
const IssueDialog = late(async () => (await import("./BadgeDialogs")).IssueDialog);
const ReplaceDialog = late(async () => (await import("./BadgeDialogs")).ReplaceDialog);

/** What may be done with a badge, by where it is. */
function actsFor(badge: Badge): Act[] {
  switch (badge.state) {
    case "stock":
      return ["issue", "lost", "destroy"];
    case "issued":
    case "overdue":
      return ["lost", "return", "suspend", "replace"];
    case "suspended":
      return ["resume", "return", "lost"];
    case "lost":
      return badge.holder ? ["found", "back", "replace", "destroy"] : ["found", "destroy"];
    default:
      return ["found"];
  }
}

/** The acts on one badge, each with its dialog. */
export function BadgeActs({ badge, few }: { badge: Badge; few?: boolean }) {
  const may = useMay();
  const me = useMe();
  const [act, setAct] = useState<Act>();
  const own = badge.holder?.staff.staff_number === me.staff_number && !me.owner;
  if (!may("console.credentials", badge.site.code) || own) return null;
  const close = () => setAct(undefined);
  return (
    <>
      {actsFor(badge)
        .slice(0, few ? 2 : undefined)
        .map((a) => (
          <Button
            key={a}
            look={few ? "quiet" : a === "lost" || a === "destroy" ? "grave" : "plain"}
            className={few ? "min-h-0 px-1" : ""}
            aria-label={`${a === "issue" ? "Issue" : a === "replace" ? "Replace" : words[a].button}: badge ${badge.number}`}
            onClick={() => setAct(a)}
          >
            {a === "issue" ? "Issue" : a === "replace" ? "Replace" : words[a].button}
          </Button>
        ))}
      {act === "issue" && <IssueDialog badge={badge} close={close} />}
      {act === "replace" && <ReplaceDialog badge={badge} close={close} />}
      {act && act !== "issue" && act !== "replace" && (
        <ChangeDialog
          title={words[act].title.replace("#", badge.number)}
          about={
            <>
              {badge.holder && <>{badge.holder.staff.name} has it. </>}
              {words[act].about}
            </>
          }
          operations={[
            {
              op: words[act].op,
              on: badgeReference(badge),
              ...(act === "back" && { set: { holder: true } }),
            },
          ]}
          button={words[act].confirm}
          grave={act === "lost" || act === "destroy"}
          draftable={false}
          close={close}
        />
      )}
    </>
  );
}
