import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMay, useMe } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { Button, buttonLook } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { SearchBox } from "@/parts/fields";
import { Listed, Unread } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Page } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { TakeAlong } from "@/parts/TakeAlong";
import { people } from "@/parts/words";
import { useFilters } from "@/search";
import { type Team, TeamDialog } from "./Teams";
import { StaffTabs } from "./tabs";

type Member = Schema["Member"];
type Edit = { title: string; about: string; button: string; operations: Operation[] };

/** One team: who leads it, and who is in it. */
export function TeamPage() {
  const { code } = useParams({ strict: false }) as { code: string };
  const [{ q }, put] = useFilters("/teams/$code");
  const may = useMay();
  const me = useMe();
  const [dialog, setDialog] = useState<"edit" | "join">();
  const [edit, setEdit] = useState<Edit>();
  const one = useQuery({
    ...read("/teams/{id}", { path: { id: code } }),
  });
  const query = { limit: 500, ...(q && { q }) };
  const list = useQuery({
    ...read("/teams/{id}/members", { path: { id: code }, query }),
  });
  if (!one.data) return <Unread of={one} />;
  const t = one.data;
  const leads = t.leads.some((l) => l.staff_number === me.staff_number);
  const edits = may("console.teams") && (!leads || me.owner === true);
  return (
    <Page
      title={t.name}
      lead={`${t.code} · ${people(t.members)}${t.retired ? " · retired" : ""}. ${t.summary ?? ""}`}
      acts={
        <>
          <TakeAlong from={`/teams/${t.code}/members`} file={`team-${t.code}.csv`} />
          <Link to="/staff" search={{ team: t.code }} className={buttonLook()}>
            In the list of staff
          </Link>
          {edits && <Button onClick={() => setDialog("edit")}>Change</Button>}
          {edits && <Button onClick={() => setEdit(retiring(t))}>{t.retired ? "Bring back" : "Retire"}</Button>}
          {edits && !t.retired && (
            <Button look="main" onClick={() => setDialog("join")}>
              Add people
            </Button>
          )}
        </>
      }
    >
      <StaffTabs />
      {leads && !me.owner && (
        <p className="mb-4 rounded-sm border border-rule bg-inset px-4 py-2.5">
          You lead this team, so what you may see hangs on who is in it. Another manager changes it.
        </p>
      )}
      <div className="mb-3 max-w-lg">
        <SearchBox label="Search members" hint="Name or number" value={q} onChange={(next) => put({ q: next })} />
      </div>
      <Listed of={list} empty={q ? "Nobody fits." : "Nobody is in it yet. Add people."}>
        {(data) => <Members members={data.items} edits={edits && !t.retired} change={setEdit} />}
      </Listed>
      {dialog === "edit" && <TeamDialog of={t} close={() => setDialog(undefined)} />}
      {dialog === "join" && <Join team={t} close={() => setDialog(undefined)} />}
      {edit && <ChangeDialog {...edit} close={() => setEdit(undefined)} />}
    </Page>
  );
}

function retiring(t: Team): Edit {
  return t.retired
    ? {
        title: `Bring back ${t.name}`,
        about: "Whoever leads it sees its people again.",
        button: "Bring the team back",
        operations: [{ op: "team.restore", on: t.code }],
      }
    : {
        title: `Retire ${t.name}`,
        about: "It stays on record with whoever is in it. Whoever leads it no longer sees them by it.",
        button: "Retire the team",
        operations: [{ op: "team.retire", on: t.code }],
      };
}

function Members({ members, edits, change }: { members: Member[]; edits: boolean; change: (edit: Edit) => void }) {
  const leading = (m: Member): Edit => ({
    title: m.lead ? `${m.staff.name} no longer leads ${m.team.name}` : `${m.staff.name} leads ${m.team.name}`,
    about: m.lead
      ? "They stay in it, and see no more of the others than what else they may."
      : "They see the records of the others where a template gives them the level team.",
    button: m.lead ? "Take the lead from them" : "Let them lead",
    operations: [{ op: "member.edit", on: String(m.id), set: { lead: !m.lead } }],
  });
  const ending = (m: Member): Edit => ({
    title: `Take ${m.staff.name} out of ${m.team.name}`,
    about: "Their access stays as it is.",
    button: "Take them out",
    operations: [{ op: "member.end", on: String(m.id) }],
  });
  return (
    <div className="overflow-x-auto">
      <table className="w-full">
        <thead>
          <tr className="text-left text-sm text-faded">
            <th className="py-1 font-semibold">Who</th>
            <th className="font-semibold">Job title</th>
            <th className="font-semibold">Home site</th>
            <th className="font-semibold">Status</th>
            <th>
              <span className="sr-only">Acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {members.map((m) => (
            <tr key={m.id} className="border-t border-rule">
              <td className="py-1.5 pr-3">
                <Link
                  to="/staff/$number"
                  params={{ number: m.staff.staff_number }}
                  className="font-semibold hover:underline"
                >
                  {m.staff.name}
                </Link>{" "}
                <span className="text-sm text-faded">{m.staff.staff_number}</span>
                {m.lead && <span className="ml-2 rounded-sm bg-inset px-1.5 text-sm font-semibold">leads</span>}
              </td>
              <td className="pr-3">{m.job_title}</td>
              <td className="pr-3">{m.home_site?.name}</td>
              <td className="pr-3">
                <Mark of={m.status} />
              </td>
              <td className="text-right whitespace-nowrap">
                {edits && (
                  <>
                    <Button
                      look="quiet"
                      className="min-h-0 px-1"
                      aria-label={m.lead ? `Remove lead: ${m.staff.name}` : `Make lead: ${m.staff.name}`}
                      onClick={() => change(leading(m))}
                    >
                      {m.lead ? "Remove lead" : "Make lead"}
                    </Button>
                    <Button
                      look="quiet"
                      className="ml-3 min-h-0 px-1"
                      aria-label={`Take out: ${m.staff.name}`}
                      onClick={() => change(ending(m))}
                    >
                      Take out
                    </Button>
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** Puts people into a team, one after the other. */
function Join({ team, close }: { team: Team; close: () => void }) {
  const [chosen, setChosen] = useState<string[]>([]);
  const [next, setNext] = useState("");
  const [lead, setLead] = useState(false);
  const [ready, setReady] = useState(false);
  const all = next && !chosen.includes(next) ? [...chosen, next] : chosen;
  if (ready)
    return (
      <ChangeDialog
        title={`Add ${people(all.length)} to ${team.name}`}
        about="Being in a team gives no access."
        operations={all.map((staff) => ({ op: "member.add", set: { team: team.code, staff, lead } }))}
        button="Add to the team"
        close={close}
      />
    );
  return (
    <Ask
      open
      onOpenChange={close}
      title={`Add people to ${team.name}`}
      about="For many at once, choose them in the list of staff."
    >
      <form
        className="space-y-3"
        onSubmit={(e) => {
          e.preventDefault();
          setReady(true);
        }}
      >
        {chosen.length > 0 && <p>Chosen: {chosen.join(", ")}</p>}
        <PersonField key={chosen.length} label="Who" value={next} onChosen={setNext} />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-damson"
            checked={lead}
            onChange={(e) => setLead(e.target.checked)}
          />
          They lead it
        </label>
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={all.length === 0}>
            Go on
          </Button>
          <Button
            disabled={!next}
            onClick={() => {
              setChosen(all);
              setNext("");
            }}
          >
            And one more
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
