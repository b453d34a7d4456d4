import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { Ban, Lock, LockOpen } from "lucide-react";
import { type ReactNode, useState } from "react";
import { api, keep, type Operation, queries, Refusal, type Schema, type Staff, send, take } from "@/api/api";
import { ExceptionDialog } from "@/areas/exceptions/ExceptionDialog";
import { ExceptionEdit } from "@/areas/exceptions/ExceptionEdit";
import { exceptionWords } from "@/areas/exceptions/Exceptions";
import { MessagesTo } from "@/areas/messages/Messages";
import { useMay, useMe } from "@/areas/session/session";
import { MakeDialog } from "@/areas/templates/MakeDialog";
import { AssignmentFields, isoToday, useAssignmentChoices } from "@/parts/AssignmentFields";
import { useAct } from "@/parts/acts";
import { badgeReference, GiveBadge } from "@/parts/badges";
import { ChangeDialog, Reasoned } from "@/parts/change";
import { useTemplates } from "@/parts/choices";
import { DatesDialog } from "@/parts/DatesDialog";
import {
  Ask,
  Button,
  buttonLook,
  counted,
  day,
  Empty,
  engagementWord,
  Loading,
  Mark,
  moment,
  Page,
  Section,
  SelectField,
  StaffMark,
  Statement,
  TextField,
  Wrong,
} from "@/parts/parts";
import { Certificates } from "@/parts/qualifications";
import { type Access, AccessField, sameAccess } from "@/parts/rules";
import { Timeline } from "@/parts/Timeline";
import { LockedAt } from "./LockedAt";
import { CoverDialog, MoveDialog } from "./MoveDialog";
import { ReinstateDialog } from "./ReinstateDialog";

/** One person: who they are, what they can do and why, and what was done. */
export function Person() {
  const { number } = useParams({ from: "/staff/$number" });
  const staff = useQuery({
    queryKey: ["staff", number],
    queryFn: () => take(api.GET("/staff/{id}", { params: { path: { id: number } } })),
  });
  if (staff.isPending) return <Loading />;
  if (staff.error) {
    return (
      <Page title="Not found">
        <Wrong error={staff.error} />
      </Page>
    );
  }
  return <Sheet key={number} staff={staff.data} />;
}

function Sheet({ staff }: { staff: Staff }) {
  const number = staff.staff_number;
  const me = useMe();
  const may = useMay();
  const act = useAct();
  const whom = { staff_number: number, name: `${staff.given_name} ${staff.family_name}` };
  const site = staff.home_site.code;
  const self = me.staff_number === number;
  const access = useQuery({
    queryKey: ["access", number],
    queryFn: () => take(api.GET("/staff/{id}/access", { params: { path: { id: number } } })),
  });
  const [dialog, setDialog] = useState<"assign" | "record" | "cover" | "reinstate" | undefined>(() =>
    location.hash === "#assign" ? "assign" : location.hash === "#record" ? "record" : undefined,
  );
  const touchable = !self && staff.status !== "left" && (!staff.owner || me.owner);
  const lockable = !staff.narrow && may("console.lock", site) && touchable;
  const barrable = may("console.lock") && touchable && !staff.owner;
  const bars = useQuery({
    queryKey: ["bars", number],
    queryFn: () => take(api.GET("/bars", { params: { query: { staff: number, limit: 50 } } })),
  });
  const [lifting, setLifting] = useState<Schema["Bar"]>();
  return (
    <Page
      title={whom.name}
      lead={
        <span className="flex flex-wrap items-center gap-2">
          <StaffMark staff={staff} />
          {staff.lock && <Mark of={staff.status} />}
          <span>
            {staff.narrow
              ? `${number} · belongs to another site`
              : `${number} · ${staff.job_title || "no job title"} · ${staff.home_site.name}`}
          </span>
        </span>
      }
      acts={
        <>
          {may("console.check") && (
            <Link to="/look" search={{ staff: number }} className={buttonLook()}>
              Look as
            </Link>
          )}
          {!staff.narrow && may("console.credentials", site) && staff.status !== "left" && (
            <Button onClick={() => act("pin", whom)}>New PIN</Button>
          )}
          {may("console.assign") && !staff.narrow && !self && staff.status !== "left" && (
            <>
              <Button onClick={() => setDialog("assign")}>Assign</Button>
              <Button onClick={() => setDialog("cover")}>Absent</Button>
            </>
          )}
          {barrable && (
            <Button onClick={() => act("bar", whom)}>
              <Ban size={16} aria-hidden /> Bar
            </Button>
          )}
          {lockable &&
            (staff.lock ? (
              <Button look="main" onClick={() => act("unlock", whom)}>
                <LockOpen size={16} aria-hidden /> Unlock
              </Button>
            ) : (
              <Button look="grave" onClick={() => act("lock", whom)}>
                <Lock size={16} aria-hidden /> Lock
              </Button>
            ))}
        </>
      }
    >
      {staff.lock && (
        <p className="mb-5 rounded-sm border border-shut bg-shut-wash px-4 py-2.5 sentence">
          <b>Locked</b> since {moment(staff.lock.since)}
          {staff.lock.by && ` by ${staff.lock.by.name}`}: {staff.lock.reason}
          {staff.lock.until && `, until ${moment(staff.lock.until)}`}. Nothing below counts until unlocked.
        </p>
      )}
      {staff.lock && lockable && <LockedAt number={staff.staff_number} since={staff.lock.since} />}
      {staff.narrow && (
        <p className="mb-5 rounded-sm border border-rule bg-inset px-4 py-2.5 sentence">
          {staff.given_name} works here and belongs to another site. You see what {staff.given_name} does at your
          places, and may bar {staff.given_name} from them; all else is for whoever looks after the home site.
        </p>
      )}
      {bars.data?.items.map((b) => (
        <p
          key={b.id}
          className="mb-3 flex flex-wrap items-center gap-3 rounded-sm border border-shut bg-shut-wash px-4 py-2.5"
        >
          <span className="grow">
            <b>Barred</b> from {b.place.name} since {moment(b.since)}
            {b.by && ` by ${b.by.name}`}: {b.reason}
            {b.until && `, until ${moment(b.until)}`}.
          </span>
          {barrable && (
            <Button className="shrink-0" onClick={() => setLifting(b)}>
              Lift the bar
            </Button>
          )}
        </p>
      ))}
      {access.data?.obstacles
        .filter((o) => o.code !== "locked" && o.code !== "barred")
        .map((o) => (
          <p
            key={o.sentence}
            className="mb-3 flex items-center gap-3 rounded-sm border border-soon bg-soon-wash px-4 py-2.5"
          >
            <Mark of="stuck" />
            <span>
              {o.sentence} <span className="text-faded">{o.mend}</span>
            </span>
          </p>
        ))}
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-x-10 gap-y-8 lg:grid-cols-[1fr_20rem]">
        <div className="space-y-8">
          <Section
            title={`What ${access.data?.called ?? staff.given_name} can do`}
            note={
              <>
                Each sentence opens to what it rests on · also as a{" "}
                <Link to="/look" search={{ staff: number }} className="text-damson underline underline-offset-2">
                  tree
                </Link>{" "}
                and as a{" "}
                <Link
                  to="/grid"
                  search={{ place: site, q: number }}
                  className="text-damson underline underline-offset-2"
                >
                  grid
                </Link>
              </>
            }
          >
            <Wrong error={access.error} />
            {access.isPending && <Loading />}
            {access.data?.statements.length === 0 && (
              <Empty>
                Nothing yet.{" "}
                {may("console.assign")
                  ? "Assign a place and a template to begin."
                  : "Somebody who may assign has to say where, and as what."}
              </Empty>
            )}
            {access.data?.statements.map((s) => (
              <Statement key={`${s.assignment} ${s.exception} ${s.bar} ${s.sentence}`} statement={s} />
            ))}
          </Section>
          <Scope access={access.data} />
          <Assignments staff={staff} self={self} />
          <PersonExceptions staff={staff} self={self} />
          {!staff.narrow && staff.status !== "left" && (
            <Timeline
              about={["staff", number]}
              read={(asked) =>
                take(api.GET("/staff/{id}/timeline", { params: { path: { id: number }, query: asked } }))
              }
            />
          )}
          {!staff.narrow && <History number={number} />}
        </div>
        <aside className={staff.narrow ? "hidden" : "space-y-8"}>
          <Section
            title="Record"
            note={
              may("console.edit_staff", site) && (
                <button
                  type="button"
                  className="text-damson underline underline-offset-2"
                  onClick={() => setDialog("record")}
                >
                  Change
                </button>
              )
            }
          >
            <Photo staff={staff} edits={!self && may("console.edit_staff", site)} />
            <Record staff={staff} />
          </Section>
          {!staff.narrow && <Credentials staff={staff} self={self} />}
          {!staff.narrow && <Certificates staff={staff} self={self} />}
          {may("console.leave", site) && !self && (
            <Section title="Coming and going">
              <div className="flex flex-wrap gap-2">
                {staff.status === "prepared" && may("console.edit_staff", site) && (
                  <Button onClick={() => act("activate", whom)}>Activate now</Button>
                )}
                {staff.status !== "left" && (
                  <Button look="grave" onClick={() => act("leave", whom)}>
                    Record leaving
                  </Button>
                )}
                {(staff.status === "left" || staff.leaving_date) && (
                  <Button onClick={() => setDialog("reinstate")}>Reinstate</Button>
                )}
                {!staff.narrow && may("console.credentials", site) && staff.status !== "left" && (
                  <Button onClick={() => act("password", whom)}>First password</Button>
                )}
                {may("console.credentials", site) && <EndSessions number={number} />}
              </div>
            </Section>
          )}
          {!staff.narrow && staff.email && (
            <Section title="Messages by mail">
              <MessagesTo number={number} />
            </Section>
          )}
        </aside>
      </div>
      {dialog === "cover" && <CoverDialog staff={staff} close={() => setDialog(undefined)} />}
      {dialog === "reinstate" && <ReinstateDialog staff={staff} close={() => setDialog(undefined)} />}
      {lifting && (
        <ChangeDialog
          title={`Lift the bar of ${whom.name}`}
          about={`From ${lifting.place.name}. What was given there before counts again at once.`}
          operations={[{ op: "bar.end", on: String(lifting.id) }]}
          button="Lift the bar"
          draftable={false}
          close={() => setLifting(undefined)}
        />
      )}
      {dialog === "assign" && <AssignDialog staff={staff} close={() => setDialog(undefined)} />}
      {dialog === "record" && <RecordDialog staff={staff} close={() => setDialog(undefined)} />}
    </Page>
  );
}

/** Ends everything somebody is signed in with. */
function EndSessions({ number }: { number: string }) {
  const list = useQuery({
    queryKey: ["sessions", number],
    queryFn: () => take(api.GET("/staff/{id}/sessions", { params: { path: { id: number }, query: { limit: 200 } } })),
    retry: false,
  });
  const end = useMutation({
    mutationFn: () => take(api.DELETE("/staff/{id}/sessions", { params: { path: { id: number } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["sessions", number] }),
  });
  const count = list.data?.total ?? 0;
  if (!count) return null;
  return (
    <>
      <Button onClick={() => end.mutate()} disabled={end.isPending}>
        End {count === 1 ? "the session" : `all ${count} sessions`}
      </Button>
      <Wrong error={end.error} />
    </>
  );
}

/** What, where and whose records: three separate things. */
function Scope({ access }: { access?: Schema["Access"] }) {
  const rows = access?.statements.filter((s) => s.when !== "past" && s.abilities.length > 0 && !s.exception) ?? [];
  if (!rows.length) return null;
  const whose = (s: Schema["Statement"]) => s.abilities.filter((a) => a.reach);
  return (
    <Section title="What, where, whose records">
      <div className="overflow-x-auto">
        <table className="w-full">
          <thead>
            <tr className="text-left text-sm text-faded">
              <th className="py-1 font-[600]">What</th>
              <th className="font-[600]">Where</th>
              <th className="font-[600]">Whose records</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((s) => (
              <tr key={s.assignment} className="border-t border-rule align-top">
                <td className="py-1.5 pr-3">
                  <b className="font-[600]">{s.template}</b>
                  <span className="block text-sm text-faded">{s.abilities.length} permissions</span>
                </td>
                <td className="py-1.5 pr-3">
                  {s.place?.name}
                  <span className="block text-sm text-faded">{s.covers}</span>
                </td>
                <td className="py-1.5">
                  {whose(s).map((a) => (
                    <span key={a.permission} className="block">
                      {a.title}: <b className="font-[600]">{a.level}</b>
                    </span>
                  ))}
                  {whose(s).length === 0 && <span className="text-faded">nobody's</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

function PersonExceptions({ staff, self }: { staff: Staff; self: boolean }) {
  const may = useMay();
  const me = useMe();
  const navigate = useNavigate();
  const number = staff.staff_number;
  const name = `${staff.given_name} ${staff.family_name}`;
  const [dialog, setDialog] = useState<"add" | "template" | Schema["Exception"]>();
  const [editing, setEditing] = useState<Schema["Exception"]>();
  const list = useQuery({
    queryKey: ["exceptions", number],
    queryFn: () => take(api.GET("/exceptions", { params: { query: { staff: number, limit: 200 } } })),
  });
  const templates = useTemplates();
  const acts = may("console.except") && !self && (!staff.owner || me.owner);
  const makes = me.owner || me.everywhere.includes("console.edit_templates");
  const items = list.data?.items ?? [];
  return (
    <Section
      title="Exceptions"
      note={
        acts &&
        staff.status !== "left" && (
          <button type="button" className="text-damson underline underline-offset-2" onClick={() => setDialog("add")}>
            {staff.narrow ? "Withhold something" : "Make an exception"}
          </button>
        )
      }
    >
      {items.length === 0 && (
        <p className="text-faded">None: {staff.given_name} has what the templates give, and nothing else.</p>
      )}
      <ul>
        {items.map((e) => (
          <li
            key={e.id}
            className={`flex items-start justify-between gap-3 border-b border-rule py-1.5 last:border-b-0 ${e.when === "past" ? "text-faded" : ""}`}
          >
            <span>
              <b className={`font-[600] ${e.withheld ? "text-shut" : "text-open"}`}>{exceptionWords(e)}</b>: {e.title}{" "}
              at {e.place.name}
              <span className="block text-sm text-faded">
                “{e.reason}” · {e.days === 1 ? "1 day" : `${e.days} days`} old ·{" "}
                {e.until ? `until ${day(e.until)}` : "open"}
                {e.templates.length > 0 && ` · differs from ${e.templates.join(", ")}`}
              </span>
              {e.redundant && <span className="block text-sm font-[600] text-soon">Redundant: {e.redundant}</span>}
            </span>
            {acts && (
              <span className="shrink-0">
                <Button
                  look="quiet"
                  className="min-h-0 px-1"
                  aria-label={`Change the exception, ${e.title}`}
                  onClick={() => setEditing(e)}
                >
                  Change
                </Button>
                <Button
                  look="quiet"
                  className="min-h-0 px-1"
                  aria-label={`End the exception, ${e.title}`}
                  onClick={() => setDialog(e)}
                >
                  End
                </Button>
              </span>
            )}
          </li>
        ))}
      </ul>
      {makes && !staff.owner && items.some((e) => e.when === "now") && (
        <Button className="mt-2" onClick={() => setDialog("template")}>
          Make a template from this person
        </Button>
      )}
      {editing && <ExceptionEdit exception={editing} close={() => setEditing(undefined)} />}
      {dialog === "add" && (
        <ExceptionDialog staff={number} site={staff.home_site.code} name={name} close={() => setDialog(undefined)} />
      )}
      {dialog === "template" && (
        <MakeDialog
          templates={templates.data?.items ?? []}
          like={{ staff: number, place: items.find((e) => e.when === "now")?.place.code ?? staff.home_site.code, name }}
          close={() => setDialog(undefined)}
          made={(code) => navigate({ to: "/templates/$code", params: { code } })}
        />
      )}
      {typeof dialog === "object" && (
        <ChangeDialog
          title="End the exception"
          about={`${dialog.title}, ${exceptionWords(dialog)} at ${dialog.place.name}. It stays on record.`}
          operations={[{ op: "exception.end", on: String(dialog.id) }]}
          button="End it"
          close={() => setDialog(undefined)}
        />
      )}
    </Section>
  );
}

/** The face that goes with the name, on this page and on the badge. */
function Photo({ staff, edits }: { staff: Staff; edits: boolean }) {
  const number = staff.staff_number;
  const photo = useQuery({
    queryKey: ["photo", number],
    queryFn: async () => {
      const answer = await fetch(`/api/v1/staff/${number}/photo`);
      return answer.ok ? URL.createObjectURL(await answer.blob()) : null;
    },
    staleTime: 60_000,
    retry: false,
  });
  const keeping = useMutation({
    mutationFn: (file: File) => send(`/staff/${number}/photo`, file),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["photo", number] }),
  });
  const removing = useMutation({
    mutationFn: () => take(api.DELETE("/staff/{id}/photo", { params: { path: { id: number } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["photo", number] }),
  });
  if (!photo.data && !edits) return null;
  return (
    <div className="mb-3 flex items-end gap-3">
      {photo.data && (
        <img
          src={photo.data}
          alt={`${staff.given_name} ${staff.family_name}`}
          className="h-28 w-21 rounded-sm border border-rule object-cover"
        />
      )}
      {edits && (
        <span className="flex flex-col gap-1 text-sm">
          <label className="cursor-pointer text-damson underline underline-offset-2 focus-within:outline-2">
            {photo.data ? "Another photo" : "Add a photo"}
            <input
              type="file"
              accept="image/jpeg,image/png"
              className="sr-only"
              onChange={(e) => e.target.files?.[0] && keeping.mutate(e.target.files[0])}
            />
          </label>
          {photo.data && (
            <button type="button" className="text-left text-damson underline" onClick={() => removing.mutate()}>
              Remove it
            </button>
          )}
          <Wrong error={keeping.error ?? removing.error} />
        </span>
      )}
    </div>
  );
}

function Record({ staff }: { staff: Staff }) {
  const lines: [string, ReactNode][] = [
    ["Known as", staff.known_as],
    ["Engagement", [engagementWord[staff.engagement ?? "employee"], staff.employer].filter(Boolean).join(", ")],
    [
      "Line manager",
      staff.line_manager && (
        <Link to="/staff/$number" params={{ number: staff.line_manager.staff_number }} className="hover:underline">
          {staff.line_manager.name}
        </Link>
      ),
    ],
    [
      "Teams",
      staff.teams?.map((t) => (
        <Link key={t.code} to="/teams/$code" params={{ code: t.code }} className="block hover:underline">
          {t.name}
          {t.lead && ", leads it"}
        </Link>
      )),
    ],
    ["Start", day(staff.start_date)],
    ["Contract end", day(staff.contract_end)],
    ["Leaves", day(staff.leaving_date)],
    ["Email", staff.email],
    ["Phone", staff.phone],
    ["Notes", staff.notes],
  ];
  return (
    <dl className="grid grid-cols-[7rem_1fr] gap-x-3 gap-y-1">
      {lines
        .filter(([, value]) => value)
        .map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-faded">{name}</dt>
            <dd className="min-w-0 break-words">{value}</dd>
          </div>
        ))}
    </dl>
  );
}

/** What somebody has to show: what counts now, what does not, since when and why. */
function Credentials({ staff, self }: { staff: Staff; self: boolean }) {
  const may = useMay();
  const number = staff.staff_number;
  const [giving, setGiving] = useState(() => location.hash === "#badge");
  const [all, setAll] = useState(false);
  const [printing, setPrinting] = useState(false);
  const list = useQuery({
    queryKey: ["credentials", number],
    queryFn: () => take(api.GET("/credentials", { params: { query: { staff: number, limit: 200 } } })),
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
            <button type="button" className="text-damson underline underline-offset-2" onClick={() => setGiving(true)}>
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
              <span className="font-[600]">
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
              issued {moment(c.issued_at)}
              {c.until && `, until ${moment(c.until)}`}
              {c.must_change && ", to be changed at first use"}
              {c.since && `, ${c.state === "withdrawn" && c.badge ? "taken back" : c.state} ${moment(c.since)}`}
              {c.reason && `: ${c.reason}`}
              {c.state !== "withdrawn" && `; ${c.last_used ? `last used ${moment(c.last_used)}` : "not used yet"}`}
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
          {all ? "Only those that are in use" : old === 1 ? "1 that was withdrawn" : `${old} that were withdrawn`}
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
      await queries.invalidateQueries();
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
            Print the slip
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

function Assignments({ staff, self }: { staff: Staff; self: boolean }) {
  const may = useMay();
  const number = staff.staff_number;
  const [hours, setHours] = useState(false);
  const [ending, setEnding] = useState<Schema["Assignment"]>();
  const [editing, setEditing] = useState<Schema["Assignment"]>();
  const [moving, setMoving] = useState<Schema["Assignment"]>();
  const list = useQuery({
    queryKey: ["assignments", number],
    queryFn: () => take(api.GET("/assignments", { params: { query: { staff: number, limit: 500 } } })),
  });
  if (!list.data?.items.length) return null;
  return (
    <Section title="Assignments">
      <div className="overflow-x-auto">
        <table className="w-full">
          <thead>
            <tr className="text-left text-sm text-faded">
              <th className="py-1 font-[600]">Works as</th>
              <th className="font-[600]">Where</th>
              <th className="font-[600]">From</th>
              <th className="font-[600]">Until</th>
              <th className="font-[600]">Hours</th>
              <th>
                <span className="sr-only">Acts</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {list.data.items.map((a) => (
              <tr
                key={a.id}
                className={`border-t border-rule align-top [&>td]:py-1.5 ${a.when === "past" ? "text-faded" : ""}`}
              >
                <td className="py-1.5 pr-3 font-[600]">
                  {a.template_name}
                  {a.covers && <span className="block text-sm font-normal text-faded">covers {a.covers.name}</span>}
                  {a.covered_by?.map((c) => (
                    <span key={`${c.staff.staff_number} ${c.from}`} className="block text-sm font-normal text-faded">
                      {c.staff.name} covers {day(c.from)} to {day(c.until)}
                    </span>
                  ))}
                </td>
                <td className="pr-3">
                  <Link to="/estate/$code" params={{ code: a.place.code }} className="hover:underline">
                    {a.place.name}
                  </Link>
                </td>
                <td className="pr-3 whitespace-nowrap">{day(a.from) || "–"}</td>
                <td className="pr-3 whitespace-nowrap">{day(a.until) || "open"}</td>
                <td className="pr-3">
                  {a.hours_words}
                  <span className="block text-sm text-faded">{a.hours_by}</span>
                </td>
                <td className="text-right whitespace-nowrap">
                  {may("console.assign") && !self && a.when !== "ended" && (
                    <Button
                      look="quiet"
                      className="min-h-0 px-1"
                      aria-label={`Change ${a.template_name} at ${a.place.name}`}
                      onClick={() => setEditing(a)}
                    >
                      Change
                    </Button>
                  )}
                  {may("console.assign") && !self && a.when !== "past" && a.when !== "ended" && (
                    <>
                      <Button look="quiet" className="min-h-0 px-1" onClick={() => setMoving(a)}>
                        Move
                      </Button>
                      <Button look="quiet" className="min-h-0 px-1" onClick={() => setEnding(a)}>
                        End
                      </Button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {!staff.narrow && (staff.hours_words || (may("console.assign", staff.home_site.code) && !self)) && (
        <p className="mt-2 border-t border-rule pt-2">
          {staff.hours_words ? (
            <>
              <b className="font-[600]">Access hours of {staff.known_as || staff.given_name}’s own</b>, for assignments
              that state none: {staff.hours_words}.{" "}
            </>
          ) : (
            <span className="text-faded">Assignments that state no hours have those of their template. </span>
          )}
          {may("console.assign", staff.home_site.code) && !self && (
            <Button look="quiet" className="min-h-0 px-1" onClick={() => setHours(true)}>
              {staff.hours_words ? "Change the hours" : "Give hours of their own"}
            </Button>
          )}
        </p>
      )}
      {hours && <StaffHoursDialog staff={staff} close={() => setHours(false)} />}
      {editing && <AssignmentDialog assignment={editing} close={() => setEditing(undefined)} />}
      {moving && <MoveDialog assignment={moving} close={() => setMoving(undefined)} />}
      {ending && <EndDialog assignment={ending} close={() => setEnding(undefined)} />}
    </Section>
  );
}

/** Between which days, and at which hours, somebody works somewhere. */
function AssignmentDialog({ assignment: a, close }: { assignment: Schema["Assignment"]; close: () => void }) {
  const first = a.hours ?? {};
  const [access, setAccess] = useState<Access>(first);
  return (
    <DatesDialog
      title={`${a.template_name} at ${a.place.name}`}
      about={`Between which days, and at which hours, ${a.staff.name} works there.`}
      op="assignment.edit"
      record={a}
      further={sameAccess(access, first) ? {} : { hours: access }}
      close={close}
    >
      <AccessField value={access} onChange={setAccess} inherit="Those of the person, else of the template" />
    </DatesDialog>
  );
}

/** At which hours somebody works in all assignments that do not say otherwise. */
function StaffHoursDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const first = staff.hours ?? {};
  const [access, setAccess] = useState<Access>(first);
  const operations: Operation[] = sameAccess(access, first)
    ? []
    : [
        {
          op: "staff.hours",
          on: staff.staff_number,
          if_revision: Number(staff.etag.replace(/\D/g, "")),
          set: { hours: access },
        },
      ];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Access hours of ${staff.given_name} ${staff.family_name}`}
      about="They count in all assignments that state no hours themselves, in place of those of the templates."
    >
      <div className="mb-4">
        <AccessField value={access} onChange={setAccess} inherit="Those of the templates" />
      </div>
      <Reasoned operations={operations} button="Set the hours" close={close} />
    </Ask>
  );
}

function EndDialog({ assignment, close }: { assignment: Schema["Assignment"]; close: () => void }) {
  return (
    <ChangeDialog
      title={`End ${assignment.template_name} at ${assignment.place.name}`}
      about={`${assignment.staff.name} loses at once what this assignment gives. It stays on record.`}
      operations={[{ op: "assignment.end", on: String(assignment.id) }]}
      button="End the assignment"
      grave
      close={close}
    />
  );
}

function AssignDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const choices = useAssignmentChoices(
    staff.home_site.code,
    staff.contract_end ?? "",
    staff.start_date > isoToday() ? staff.start_date : isoToday(),
  );
  const operations: Operation[] =
    choices.place && choices.template
      ? [{ op: "assignment.add", set: { staff: staff.staff_number, ...choices.set } }]
      : [];
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`Assign ${staff.given_name} ${staff.family_name}`}
      about="Where they work, as what, and between which days."
    >
      <div className="mb-4">
        <AssignmentFields choices={choices} />
      </div>
      <Reasoned operations={operations} button="Assign" close={close} />
    </Ask>
  );
}

function RecordDialog({ staff, close }: { staff: Staff; close: () => void }) {
  const first = {
    given_name: staff.given_name,
    family_name: staff.family_name,
    known_as: staff.known_as ?? "",
    email: staff.email ?? "",
    phone: staff.phone ?? "",
    job_title: staff.job_title ?? "",
    engagement: staff.engagement as string,
    employer: staff.employer ?? "",
    start_date: staff.start_date,
    contract_end: staff.contract_end ?? "",
    notes: staff.notes ?? "",
  };
  const [form, setForm] = useState(first);
  const [reason, setReason] = useState("");
  const run = useMutation({
    mutationFn: async () => {
      const changed = Object.fromEntries(Object.entries(form).filter(([k, v]) => v !== first[k as keyof typeof first]));
      const answer = await take(
        api.PATCH("/staff/{id}", {
          params: { path: { id: staff.staff_number }, header: { "If-Match": staff.etag } },
          body: { ...changed, reason },
        }),
      );
      await queries.invalidateQueries();
      return answer;
    },
    onSuccess: close,
  });
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  const text = (name: keyof typeof form, label: string, rest: { type?: string; optional?: boolean } = {}) => (
    <TextField
      label={label}
      value={form[name]}
      error={wrong?.field(name)}
      onChange={(e) => setForm({ ...form, [name]: e.target.value })}
      {...rest}
    />
  );
  return (
    <Ask
      open
      onOpenChange={close}
      title="Change the record"
      about={`${staff.staff_number}. The staff number stays with the person.`}
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          {text("given_name", "Given name")}
          {text("family_name", "Family name")}
          {text("known_as", "Known as", { optional: true })}
          {text("job_title", "Job title", { optional: true })}
          {text("email", "Work email", { optional: true, type: "email" })}
          {text("phone", "Phone", { optional: true })}
          <SelectField
            label="Engagement"
            value={form.engagement}
            onChange={(e) => setForm({ ...form, engagement: e.target.value })}
          >
            {Object.entries(engagementWord).map(([k, w]) => (
              <option key={k} value={k}>
                {w}
              </option>
            ))}
          </SelectField>
          {text("employer", "Employer", { optional: true })}
          {text("start_date", "Start", { type: "date" })}
          {text("contract_end", "Contract end", { optional: true, type: "date" })}
        </div>
        <div className="mt-3 space-y-3">
          {text("notes", "Notes", { optional: true })}
          <TextField
            label="Why"
            optional
            error={wrong?.field("reason")}
            value={reason}
            onChange={(e) => setReason(e.target.value)}
            hint="Needed where this takes access away."
          />
          {!wrong?.problem.errors?.length && <Wrong error={run.error} />}
          <div className="flex gap-2">
            <Button type="submit" look="main" disabled={run.isPending}>
              Keep the changes
            </Button>
            <Button onClick={close}>Cancel</Button>
          </div>
        </div>
      </form>
    </Ask>
  );
}

function History({ number }: { number: string }) {
  const may = useMay();
  const audit = useQuery({
    queryKey: ["audit", number],
    queryFn: () => take(api.GET("/audit", { params: { query: { staff: number, limit: 20 } } })),
  });
  const events = useQuery({
    queryKey: ["events", number],
    queryFn: () => take(api.GET("/events", { params: { query: { staff: number, limit: 8 } } })),
    enabled: may("console.read_events"),
  });
  return (
    <div className="grid gap-8 md:grid-cols-2">
      <Section title="Changes" note={audit.data && `${counted(audit.data)} in all`}>
        <ol>
          {audit.data?.items.map((e) => (
            <li key={e.id} className="border-b border-rule py-1.5 last:border-b-0">
              {e.summary}
              {e.reason && <span className="block">“{e.reason}”</span>}
              <span className="block text-sm text-faded">
                {moment(e.at)} · {e.actor}
              </span>
            </li>
          ))}
        </ol>
      </Section>
      {may("console.read_events") && (
        <Section title="At the doors" note={events.data && `${counted(events.data)} in all`}>
          {events.data?.items.length === 0 && <p className="text-faded">Has not been at a door yet.</p>}
          <ol>
            {events.data?.items.map((e) => (
              <li
                key={e.id}
                className="flex items-start justify-between gap-2 border-b border-rule py-1.5 last:border-b-0"
              >
                <span>
                  {e.place.name}
                  <span className="block text-sm text-faded">{moment(e.at)}</span>
                </span>
                {e.outcome === "allow" ? <Mark of="open" /> : <Mark of="shut">{e.reason.replaceAll("_", " ")}</Mark>}
              </li>
            ))}
          </ol>
        </Section>
      )}
    </div>
  );
}
