import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { Choice, SearchBox, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { useFilters } from "@/search";
import { StaffTabs } from "./tabs";

export type Team = Schema["Team"];
/** Named groups of staff: who leads each, and how many are in it. */
export function Teams() {
  const may = useMay();
  const [search, put] = useFilters("/teams");
  const query = { ...(search.q && { q: search.q }), ...(search.retired && { retired: search.retired }), limit: 500 };
  const list = useQuery({
    ...read("/teams", { query }),
    placeholderData: keepPreviousData,
  });
  const [adding, setAdding] = useState(false);
  return (
    <Page
      title="Teams"
      lead="Named groups of staff, across sites if need be. Being in a team gives no access. A lead who may see the team sees the records of those in it."
      acts={
        <>
          <TakeAlong from="/teams" query={query} file="teams.csv" />
          {may("console.teams") && (
            <Button look="main" onClick={() => setAdding(true)}>
              Add a team
            </Button>
          )}
        </>
      }
    >
      <StaffTabs />
      <div className="mb-3 grid items-end gap-2 sm:grid-cols-[3fr_minmax(0,1fr)]">
        <SearchBox label="Search teams" hint="Name or code" value={search.q} onChange={(q) => put({ q })} />
        <Choice label="In use" value={search.retired} onChange={(retired) => put({ retired })}>
          <option value="">In use</option>
          <option value="true">Retired</option>
          <option value="all">All</option>
        </Choice>
      </div>
      <Listed
        of={list}
        empty={
          search.q || search.retired
            ? "No team fits. Take a filter away."
            : may("console.teams")
              ? "There is no team yet. Add one, then put people into it here or from the list of staff."
              : "There is no team with people whom you may see."
        }
      >
        {(data) => <TeamTable teams={data.items} />}
      </Listed>
      {adding && <TeamDialog close={() => setAdding(false)} />}
    </Page>
  );
}

function TeamTable({ teams }: { teams: Team[] }) {
  return (
    <div className="overflow-x-auto">
      <table className="w-full">
        <thead>
          <tr className="text-left text-sm text-faded">
            <th className="py-1 font-semibold">Team</th>
            <th className="font-semibold">Led by</th>
            <th className="font-semibold">Home sites</th>
            <th className="text-right font-semibold">Members</th>
          </tr>
        </thead>
        <tbody>
          {teams.map((t) => (
            <tr key={t.code} className={`border-t border-rule align-top ${t.retired ? "text-faded" : ""}`}>
              <td className="py-2 pr-4">
                <Link to="/teams/$code" params={{ code: t.code }} className="font-semibold hover:underline">
                  {t.name}
                </Link>{" "}
                <span className="text-sm text-faded">{t.code}</span>
                {t.retired && " · retired"}
                <span className="block text-sm text-faded">{t.summary}</span>
              </td>
              <td className="py-2 pr-4">
                {t.leads.length === 0 && <span className="text-faded">nobody</span>}
                {t.leads.map((p) => (
                  <Link
                    key={p.staff_number}
                    to="/staff/$number"
                    params={{ number: p.staff_number }}
                    className="mr-2 whitespace-nowrap hover:underline"
                  >
                    {p.name}
                  </Link>
                ))}
              </td>
              <td className="py-2 pr-4">{t.sites.map((s) => s.name).join(", ")}</td>
              <td className="py-2 text-right tabular-nums">{t.members}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** Adds a team, or changes one. */
export function TeamDialog({ of: t, close }: { of?: Team; close: () => void }) {
  const [form, setForm] = useState({ code: t?.code ?? "", name: t?.name ?? "", summary: t?.summary ?? "" });
  const [ready, setReady] = useState<Operation[]>();
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  if (ready)
    return (
      <ChangeDialog
        title={t ? `Change ${t.name}` : `Add ${form.name}`}
        about={t ? "Who is in it stays." : "Put people into it next."}
        operations={ready}
        button={t ? "Change the team" : "Add the team"}
        close={close}
      />
    );
  return (
    <Ask
      open
      onOpenChange={close}
      title={t ? `Change ${t.name}` : "Add a team"}
      about={t ? `Code ${t.code}, which stays.` : "A named group of staff."}
    >
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          const set = { name: form.name, summary: form.summary };
          setReady([t ? { op: "team.edit", on: t.code, set } : { op: "team.add", set: { code: form.code, ...set } }]);
        }}
      >
        <TextField label="Name" required maxLength={120} value={form.name} onChange={put("name")} />
        <TextField
          label="Code"
          required
          disabled={!!t}
          maxLength={32}
          value={form.code}
          onChange={put("code")}
          hint="Such as NIGHT-PACK"
        />
        <TextField
          label="What it is for"
          optional
          className="col-span-2"
          maxLength={1000}
          value={form.summary}
          onChange={put("summary")}
        />
        <div className="col-span-2 flex gap-2">
          <Button type="submit" look="main">
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
