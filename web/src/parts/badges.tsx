import { useMutation, useQuery } from "@tanstack/react-query";
import { AlertTriangle, Ban, Check, Clock, Package, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import { api, change, type Operation, queries, type Schema, take } from "@/api/api";
import { useMay, useMe } from "@/areas/session/session";
import { ChangeDialog, useApplied } from "./change";
import { DateField } from "./DateField";
import { PersonField } from "./PersonField";
import { Ask, Button, TextField, Wrong } from "./parts";

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
      className={`inline-flex items-center gap-1 rounded-sm px-1.5 py-px text-sm font-[600] whitespace-nowrap ${look}`}
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

/** Gives a badge in stock to somebody. */
export function IssueDialog({ badge, close }: { badge: Badge; close: () => void }) {
  const [staff, setStaff] = useState("");
  const [until, setUntil] = useState("");
  const applied = useApplied();
  const run = useMutation({
    mutationFn: () =>
      change([{ op: "badge.issue", set: { badge: badgeReference(badge), staff, ...(until && { until }) } }], ""),
    onSuccess: (r) => {
      if (r.audit_id) applied({ id: r.audit_id, summary: r.effect.summary });
      close();
    },
  });
  return (
    <Ask
      open
      onOpenChange={(open) => !open && close()}
      title={`Issue the badge ${badge.number}`}
      about={badge.day ? "A day badge: it is due at the end of the shift." : "It counts at once."}
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <PersonField label="To whom" required value={staff} onChosen={setStaff} />
        <Until day={badge.day} until={until} setUntil={setUntil} />
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending}>
            Issue the badge
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

function Until({ day, until, setUntil }: { day?: boolean; until: string; setUntil: (until: string) => void }) {
  return (
    <DateField
      label="Counts until"
      optional
      type="datetime-local"
      value={until}
      onChange={(e) => setUntil(e.target.value)}
      hint={day ? "Left empty: the end of the shift." : "Left empty: until it is taken back."}
    />
  );
}

/** Says what has become of a badge and gives its holder another, as one change. */
function ReplaceDialog({ badge, close }: { badge: Badge; close: () => void }) {
  const [old, setOld] = useState<"lost" | "destroyed" | "returned" | "suspended">("lost");
  const [next, setNext] = useState<Badge>();
  const run = useMutation({
    mutationFn: () =>
      take(
        api.POST("/badges/{id}/replace", {
          params: { path: { id: badgeReference(badge) } },
          body: { with: badgeReference(next!), old },
        }),
      ),
    onSuccess: async () => {
      close();
      await queries.invalidateQueries();
    },
  });
  return (
    <Ask
      open
      onOpenChange={(open) => !open && close()}
      title={`Replace the badge ${badge.number}`}
      about={`${badge.holder?.staff.name} gets another one; the old one opens nothing any more.`}
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <fieldset className="flex flex-wrap gap-4">
          <legend className="mb-1 text-sm font-[600]">The old one is</legend>
          {(["lost", "destroyed", "returned", "suspended"] as const).map((o) => (
            <label key={o} className="flex items-center gap-1.5">
              <input
                type="radio"
                name="old"
                className="size-4 accent-damson"
                checked={old === o}
                onChange={() => setOld(o)}
              />
              {o}
            </label>
          ))}
        </fieldset>
        <BadgeField label="The new badge" site={badge.site.code} chosen={next} onChosen={setNext} />
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending || !next}>
            Replace the badge
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

/**
 * A field that finds a badge in stock: by what a reader types that works like a keyboard, by its number, or by part of its
 * label. What is not on record can be added with onNew.
 */
export function BadgeField({
  label,
  site,
  chosen,
  onChosen,
  onNew,
}: {
  label: string;
  site: string;
  chosen?: Badge;
  onChosen: (badge: Badge | undefined) => void;
  onNew?: (reading: Schema["CardReading"] | undefined) => void;
}) {
  const [typed, setTyped] = useState("");
  const [picked, setPicked] = useState("");
  const [read, setRead] = useState("");
  useEffect(() => {
    const settle = setTimeout(() => setRead(typed.trim()), 200);
    return () => clearTimeout(settle);
  }, [typed]);
  const readings = useQuery({
    queryKey: ["decode", read],
    queryFn: () => take(api.GET("/badges/decode", { params: { query: { read } } })),
    enabled: read.length > 2,
    retry: false,
  });
  const stock = useQuery({
    queryKey: ["badges", "stock", site, read],
    queryFn: () => take(api.GET("/badges", { params: { query: { q: read, state: "stock", site, limit: 6 } } })),
  });
  const meant = readings.data?.items.filter((r) => r.badge).map((r) => r.badge!) ?? [];
  const offered = [...new Map([...meant, ...(stock.data?.items ?? [])].map((b) => [b.id, b])).values()].slice(0, 6);
  const fresh = readings.data?.items.filter((r) => !r.badge && !r.problem) ?? [];
  const choose = (badge: Badge) => {
    setPicked(`badge ${badge.id}`);
    onChosen(badge);
    onNew?.(undefined);
  };
  return (
    <div>
      <TextField
        label={label}
        autoFocus
        value={typed}
        placeholder="Present it to the reader, or type its number"
        onChange={(e) => {
          setTyped(e.target.value);
          setPicked("");
          onChosen(undefined);
          onNew?.(undefined);
        }}
        onKeyDown={(e) => {
          if (e.key !== "Enter") return; // a reader ends what it types with Enter
          const one = meant.length === 1 ? meant[0] : offered.length === 1 ? offered[0] : undefined;
          if (!chosen || read !== typed.trim()) {
            e.preventDefault();
            setRead(typed.trim());
            if (one) choose(one);
          }
        }}
        hint={
          readings.error && read.length > 2 && offered.length === 0
            ? "No badge is called that, and it is no read of a card."
            : undefined
        }
      />
      <ul className="mt-1 space-y-1" aria-label="Badges that fit">
        {offered.map((b) => (
          <li key={b.id}>
            <label
              className={`flex items-center gap-2 rounded-sm border px-2 py-1 ${chosen?.id === b.id ? "border-damson bg-damson-wash" : "border-rule"}`}
            >
              <input
                type="radio"
                name="badge"
                className="size-4 accent-damson"
                aria-label={`Badge ${b.number}`}
                checked={picked === `badge ${b.id}`}
                disabled={b.state !== "stock"}
                onChange={() => choose(b)}
              />
              <b className="font-[600]">{b.number}</b>
              <span className="text-sm text-faded">
                {b.format_words}
                {b.label && ` · ${b.label}`}
                {b.holder && b.state !== "stock" && ` · ${b.holder.staff.name} has it`}
              </span>
              <span className="ml-auto">
                <BadgeMark state={b.state} />
              </span>
            </label>
          </li>
        ))}
        {onNew &&
          meant.length === 0 &&
          fresh.map((r) => (
            <li key={`${r.format} ${r.number}`}>
              <label
                className={`flex items-center gap-2 rounded-sm border border-dashed px-2 py-1 ${picked === `${r.format} ${r.number}` ? "border-damson bg-damson-wash" : "border-edge"}`}
              >
                <input
                  type="radio"
                  name="badge"
                  className="size-4 accent-damson"
                  aria-label={`New badge ${r.number}, ${r.format_words}`}
                  checked={picked === `${r.format} ${r.number}`}
                  onChange={() => {
                    setPicked(`${r.format} ${r.number}`);
                    onChosen(undefined);
                    onNew(r);
                  }}
                />
                <b className="font-[600]">{r.number}</b>
                <span className="text-sm text-faded">
                  {r.format_words}
                  {r.reversed && ", bytes in the other order"} · new: it goes into the stock first
                </span>
              </label>
            </li>
          ))}
      </ul>
    </div>
  );
}

/** Gives somebody a badge: one in stock, or one that is presented now and goes on record with this. */
export function GiveBadge({
  whom,
  site,
  close,
}: {
  whom: { staff_number: string; name: string };
  site: string;
  close: () => void;
}) {
  const [badge, setBadge] = useState<Badge>();
  const [fresh, setFresh] = useState<Schema["CardReading"]>();
  const [until, setUntil] = useState("");
  const applied = useApplied();
  const run = useMutation({
    mutationFn: () => {
      const operations: Operation[] = [];
      if (fresh) {
        operations.push({ op: "badge.add", ref: "badge", set: { format: fresh.format, number: fresh.number, site } });
      }
      operations.push({
        op: "badge.issue",
        set: {
          badge: fresh ? "@badge" : badgeReference(badge!),
          staff: whom.staff_number,
          ...(until && { until }),
        },
      });
      return change(operations, "");
    },
    onSuccess: (r) => {
      if (r.audit_id) applied({ id: r.audit_id, summary: r.effect.summary });
      close();
    },
  });
  return (
    <Ask
      open
      wide
      onOpenChange={(open) => !open && close()}
      title={`A badge for ${whom.name}`}
      about="One that is in stock, or one that is new: present it to a reader that types, or type its number."
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <BadgeField label="Badge" site={site} chosen={badge} onChosen={setBadge} onNew={setFresh} />
        <Until day={badge?.day} until={until} setUntil={setUntil} />
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending || (!badge && !fresh)}>
            Issue the badge
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
