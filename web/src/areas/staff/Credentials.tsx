import { useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { Printer } from "lucide-react";
import { useState } from "react";
import { api, keep, reread, type Schema, type Staff, take } from "@/api/api";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { GiveBadge } from "@/parts/BadgeDialogs";
import { Button } from "@/parts/Button";
import { badgeReference } from "@/parts/badges";
import { useZones } from "@/parts/choices";
import { Mark } from "@/parts/Mark";
import { Section } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";
import { howMany, moment } from "@/parts/words";

/** What somebody has to show: what counts now, what does not, since when and why. */
export function Credentials({ staff, self }: { staff: Staff; self: boolean }) {
  const zone = useZones()(staff.home_site.code);
  const may = useMay();
  const number = staff.staff_number;
  const [giving, setGiving] = useState(() => location.hash === "#badge");
  const [all, setAll] = useState(false);
  const [printing, setPrinting] = useState(false);
  const list = useQuery({
    ...read("/credentials", { query: { staff: number, limit: 200 } }),
  });
  const items = [...(list.data?.items ?? [])].reverse();
  const valid = items.filter((c) => c.state !== "withdrawn");
  const old = items.length - valid.length;
  return (
    <Section
      title="Credentials"
      note={
        !self &&
        staff.status !== "left" &&
        may("console.credentials", staff.home_site.code) && (
          <span className="flex gap-3">
            <button
              type="button"
              className="text-damson underline underline-offset-2"
              onClick={() => setPrinting(true)}
            >
              PIN on a slip
            </button>
            {staff.email && <MailLink staff={staff} />}
            <button
              type="button"
              aria-keyshortcuts="b"
              className="text-damson underline underline-offset-2"
              onClick={() => setGiving(true)}
            >
              Issue a badge
            </button>
          </span>
        )
      }
    >
      {list.data && valid.length === 0 && <p className="text-faded">No PIN, no badge and no password.</p>}
      <ul>
        {(all ? items : valid).map((c) => (
          <li key={c.id} className={`border-b border-rule py-1.5 last:border-b-0 ${c.counts ? "" : "text-faded"}`}>
            <span className="flex items-center justify-between gap-2">
              <span className="font-semibold">
                {c.badge ? (
                  <Link to="/badges/$id" params={{ id: badgeReference(c.badge) }} className="hover:underline">
                    {c.badge.day ? "Day badge" : "Badge"} {c.badge.number}
                  </Link>
                ) : (
                  { pin: c.duress ? "PIN for duress" : "PIN", badge: "Badge", password: "Console password" }[c.kind]
                )}
              </span>
              {c.counts ? <Mark of="active">Counts</Mark> : <Mark of="left">{notCounting(c)}</Mark>}
            </span>
            <span className="block text-sm text-faded">
              issued {moment(c.issued_at, zone)}
              {c.until && `, until ${moment(c.until, zone)}`}
              {c.must_change && ", to be changed at first use"}
              {c.since && `, ${c.state === "withdrawn" && c.badge ? "taken back" : c.state} ${moment(c.since, zone)}`}
              {c.reason && `: ${c.reason}`}
              {c.state !== "withdrawn" &&
                `; ${c.last_used ? `last used ${moment(c.last_used, zone)}` : "not used yet"}`}
            </span>
          </li>
        ))}
      </ul>
      {old > 0 && (
        <button
          type="button"
          className="mt-1 text-sm text-damson underline underline-offset-2"
          onClick={() => setAll(!all)}
        >
          {all ? "Only those that are in use" : howMany(old, "that was withdrawn", "that were withdrawn")}
        </button>
      )}
      {printing && <SlipDialog staff={staff} close={() => setPrinting(false)} />}
      {giving && (
        <GiveBadge
          whom={{ staff_number: number, name: `${staff.given_name} ${staff.family_name}` }}
          site={staff.home_site.code}
          close={() => setGiving(false)}
        />
      )}
    </Section>
  );
}

/** Mails somebody a link at which they choose their PIN: nobody else ever knows it. */
function MailLink({ staff }: { staff: Staff }) {
  const [asking, setAsking] = useState(false);
  const run = useMutation({
    mutationFn: () => take(api.POST("/staff/{id}/pin-link", { params: { path: { id: staff.staff_number } } })),
  });
  return (
    <>
      <button type="button" className="text-damson underline underline-offset-2" onClick={() => setAsking(true)}>
        PIN by mail
      </button>
      {asking && (
        <Ask
          open
          onOpenChange={() => setAsking(false)}
          title={`A link for ${staff.given_name} ${staff.family_name}`}
          about={`A link goes to ${staff.email}. There ${staff.given_name} types the staff number and chooses a PIN. It works once, for two days. The PIN there is now goes on counting until then.`}
        >
          <div className="space-y-4">
            <Wrong error={run.error} />
            {run.data ? (
              <p role="status" className="flex items-center gap-2">
                <Mark of="active">Sent</Mark> to {run.data.to}, until {moment(run.data.expires_at)}.
              </p>
            ) : null}
            <div className="flex gap-2">
              {!run.data && (
                <Button look="main" autoFocus disabled={run.isPending} onClick={() => run.mutate()}>
                  Send the link
                </Button>
              )}
              <Button onClick={() => setAsking(false)}>{run.data ? "Close" : "Cancel"}</Button>
            </div>
          </div>
        </Ask>
      )}
    </>
  );
}

/** Generates a PIN and hands it over as a slip to be printed: nobody sees it on a screen. */
function SlipDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const [mustChange, setMustChange] = useState(false);
  const run = useMutation({
    mutationFn: async () => {
      keep(
        await take<Blob>(
          api.POST("/credentials/slips", {
            body: { staff: [staff.staff_number], must_change: mustChange },
            parseAs: "blob",
          }) as never,
        ),
        `pin-slip-${staff.staff_number}.pdf`,
      );
      await reread();
    },
    onSuccess: close,
  });
  return (
    <Ask
      open
      onOpenChange={(open) => !open && close()}
      title={`A PIN on a slip for ${staff.given_name} ${staff.family_name}`}
      about="A PIN is generated and printed on a sheet to be folded in three. Nobody sees it on a screen. The PIN there is now stops counting."
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={mustChange}
            onChange={(e) => setMustChange(e.target.checked)}
            className="size-4 accent-damson"
          />
          {staff.given_name} chooses another one at first use
        </label>
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending} autoFocus>
            <Printer size={16} aria-hidden /> Print the slip
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

/** Why a credential does not count, in a word. */
function notCounting(c: Schema["Credential"]): string {
  if (c.state === "valid") return c.from && new Date(c.from) > new Date() ? "Not yet" : "Run out";
  return { lost: "Lost", suspended: "Suspended", withdrawn: c.badge ? "Taken back" : "Withdrawn" }[c.state];
}
