import { useMutation, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, change, type Operation, reread, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { Ask } from "./Ask";
import { Button } from "./Button";
import { type Badge, BadgeMark, badgeReference } from "./badges";
import { useApplied } from "./change";
import { useHomeZone } from "./choices";
import { DateField } from "./DateField";
import { TextField } from "./fields";
import { PersonField } from "./PersonField";
import { Wrong } from "./Wrong";

/** Gives a badge in stock to somebody. */
export function IssueDialog({ badge, close }: { badge: Badge; close: () => void }) {
  const [staff, setStaff] = useState("");
  const [until, setUntil] = useState("");
  const applied = useApplied();
  const run = useMutation({
    mutationFn: () =>
      change([{ op: "badge.issue", set: { badge: badgeReference(badge), staff, ...(until && { until }) } }], ""),
    onSuccess: (r) => {
      applied(r);
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
        <Until staff={staff} day={badge.day} until={until} setUntil={setUntil} />
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

function Until({
  staff,
  day,
  until,
  setUntil,
}: {
  staff: string;
  day?: boolean | undefined;
  until: string;
  setUntil: (until: string) => void;
}) {
  const zone = useHomeZone(staff);
  return (
    <DateField
      label="Counts until"
      optional
      type="datetime-local"
      zone={zone}
      value={until}
      onChange={(e) => setUntil(e.target.value)}
      hint={day ? "Left empty: the end of the shift." : "Left empty: until it is taken back."}
    />
  );
}

/** Says what has become of a badge and gives its holder another, as one change. */
export function ReplaceDialog({ badge, close }: { badge: Badge; close: () => void }) {
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
      await reread();
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
          <legend className="mb-1 text-sm font-semibold">The old one is</legend>
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
  const [settled, setSettled] = useState("");
  useEffect(() => {
    const settle = setTimeout(() => setSettled(typed.trim()), 200);
    return () => clearTimeout(settle);
  }, [typed]);
  const readings = useQuery({
    ...read("/badges/decode", { query: { read: settled } }),
    enabled: settled.length > 2,
    retry: false,
  });
  const stock = useQuery({
    ...read("/badges", { query: { q: settled, state: "stock", site, limit: 6 } }),
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
          if (!chosen || settled !== typed.trim()) {
            e.preventDefault();
            setSettled(typed.trim());
            if (one) choose(one);
          }
        }}
        hint={
          readings.error && settled.length > 2 && offered.length === 0
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
              <b className="font-semibold">{b.number}</b>
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
                <b className="font-semibold">{r.number}</b>
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
      applied(r);
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
        <Until staff={whom.staff_number} day={badge?.day} until={until} setUntil={setUntil} />
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
