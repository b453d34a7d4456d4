import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { ArrowDown, ArrowUp } from "lucide-react";
import { useState } from "react";
import { api, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { StaffTabs } from "@/areas/teams/tabs";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { NarrowBy } from "@/parts/Combobox";
import { teamOptions, useTeams } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { SelectField, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { late } from "@/parts/late";
import { Empty, Loading, Page } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { SiteChoice } from "@/parts/PlaceChoice";
import { Print } from "@/parts/Print";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { day, howMany, moment } from "@/parts/words";
import { type Search, useFilters } from "@/search";

type Report = Schema["Report"];
type Asked = Search<"/reports/$kind">;
const Picture = late(async () => (await import("./Picture")).default, "part");

/** Which reports there are, and which are mailed to the reader. */
export function Reports() {
  const kinds = useKinds();
  return (
    <Page title="Reports" lead="Each is of the people whom you see, as things stand now.">
      <StaffTabs />
      <Listed of={kinds}>{() => null}</Listed>
      <ul className="mb-8">
        {kinds.data?.items.map((k) => (
          <li key={k.kind} className="border-b border-rule py-2.5">
            <Link to="/reports/$kind" params={{ kind: k.kind }} className="font-semibold hover:underline">
              {k.title}
            </Link>
            <span className="block text-faded">{k.says}</span>
          </li>
        ))}
      </ul>
      <Mailed />
    </Page>
  );
}

function useKinds() {
  return useQuery({
    ...read("/reports", { query: { limit: 100 } }),
    staleTime: Number.POSITIVE_INFINITY,
  });
}

const oftenWord: Record<string, string> = {
  daily: "each day",
  weekly: "each Monday",
  monthly: "on the first of each month",
};

function Mailed() {
  const list = useQuery({
    ...read("/me/reports", { query: { limit: 100 } }),
  });
  const end = useMutation({
    mutationFn: (id: number) => take(api.DELETE("/me/reports/{id}", { params: { path: { id } } })),
    onSuccess: () => list.refetch(),
  });
  return (
    <section>
      <h2 className="mb-1 font-bold">Mailed to you</h2>
      <Listed of={list}>{() => null}</Listed>
      <Wrong error={end.error} />
      {list.data?.items.length === 0 && <p className="text-faded">None. Open a report and choose “Mail it to me”.</p>}
      <ul>
        {list.data?.items.map((m) => (
          <li key={m.id} className="flex items-center justify-between gap-3 border-t border-rule py-2">
            <span>
              <b className="font-semibold">{m.title}</b>{" "}
              {[m.about.site, m.about.team, m.about.staff].filter(Boolean).join(", ")}
              <span className="block text-sm text-faded">
                {oftenWord[m.often]}, next on {moment(m.next_at)}
              </span>
            </span>
            <Button disabled={end.isPending} onClick={() => end.mutate(m.id)}>
              End it
            </Button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** The report that is about one person, who is chosen first. */
const aboutOne = "doings";

/** One report: asked about, drawn, as a table, taken along. */
export function ReportPage() {
  const { kind } = useParams({ strict: false }) as { kind: string };
  const [search, put] = useFilters("/reports/$kind");
  const kinds = useKinds();
  const of = kinds.data?.items.find((k) => k.kind === kind);
  const [mailing, setMailing] = useState(false);
  const { days, ...texts } = search;
  const query = { ...texts, ...(days && { days: Number(days) }) };
  const waits = of?.takes?.includes("staff") && !search.staff;
  const report = useQuery({
    ...read("/reports/{id}", { path: { id: kind }, query: { ...query, limit: 500 } }),
    enabled: of ? !waits : kind !== aboutOne, // beside what is said of it, not after that
    placeholderData: keepPreviousData,
  });
  if (kinds.error || (kinds.data && !of))
    return (
      <Page title="Reports">
        <StaffTabs />
        <Listed of={kinds}>{() => <Empty>There is no such report.</Empty>}</Listed>
      </Page>
    );
  if (!of) return <Loading />;
  return (
    <Page
      title={of.title}
      lead={of.says}
      acts={
        <>
          <TakeAlong from={`/reports/${kind}`} query={search as Record<string, string>} file={`${kind}.csv`} />
          <Print />
          <Button disabled={!!waits} onClick={() => setMailing(true)}>
            Mail it to me
          </Button>
        </>
      }
    >
      <StaffTabs />
      <Asked takes={of.takes ?? []} search={search} put={put} />
      {!waits && <Listed of={report}>{() => null}</Listed>}
      {waits && <Empty>Choose about whom.</Empty>}
      {report.data && !report.error && !waits && (
        <>
          {report.data.across && (report.data.items?.length ?? 0) > 0 && <Picture report={report.data} />}
          <Table report={report.data} sort={search.sort} put={(sort) => put({ sort })} />
        </>
      )}
      {mailing && <MailDialog kind={kind} title={of.title} about={query} close={() => setMailing(false)} />}
    </Page>
  );
}

function Asked({ takes, search, put }: { takes: string[]; search: Asked; put: (next: Asked) => void }) {
  const teams = useTeams(takes.includes("team"));
  const date = (name: "from" | "until", label: string) => (
    <DateField
      key={name}
      label={label}
      type="date"
      optional
      value={search[name] ?? ""}
      onChange={(e) => put({ [name]: e.target.value })}
    />
  );
  return (
    <div className="mb-4 grid items-end gap-3 sm:grid-cols-2 lg:grid-cols-4 print:hidden">
      {takes.map((name) => {
        switch (name) {
          case "site":
            return (
              <SiteChoice
                key={name}
                label="Site"
                value={search.site}
                onChange={(site) => put({ site })}
                any="All sites"
              />
            );
          case "team":
            return (
              <NarrowBy
                key={name}
                label="Team"
                value={search.team ?? ""}
                onChange={(e) => put({ team: e.target.value })}
                placeholder="Everybody"
                options={teamOptions(teams.data?.items)}
              />
            );
          case "staff":
            return (
              <PersonField
                key={name}
                label="About"
                value={search.staff ?? ""}
                onChosen={(staff) => staff && put({ staff })}
              />
            );
          case "from":
            return date("from", "First day");
          case "until":
            return date("until", "Last day");
          default:
            return (
              <TextField
                key={name}
                label="For how many days"
                type="number"
                min={1}
                max={3650}
                placeholder="90"
                optional
                value={search.days ?? ""}
                onChange={(e) => put({ days: e.target.value })}
              />
            );
        }
      })}
    </div>
  );
}

function Table({ report, sort, put }: { report: Report; sort: string | undefined; put: (sort: string) => void }) {
  const rows = (report.items ?? []).map((row) => row ?? []);
  if (rows.length === 0) return <Empty>Nothing to report.</Empty>;
  const falls = sort?.startsWith("-");
  const by = sort?.replace(/^-/, "");
  return (
    <div className="overflow-x-auto">
      <p className="mb-1 text-sm text-faded" role="status">
        {howMany(report.total, "line", "lines")}
        {report.total > rows.length && `; the first ${rows.length} are shown, CSV has all`}
      </p>
      <table className="w-full">
        <thead>
          <tr className="text-left text-sm text-faded">
            {report.columns?.map((c) => (
              <th
                key={c.name}
                aria-sort={by === c.name ? (falls ? "descending" : "ascending") : undefined}
                className={`py-1 pr-4 font-semibold ${c.kind === "number" ? "text-right" : ""}`}
              >
                <button
                  type="button"
                  className="inline-flex items-center gap-1 hover:underline"
                  onClick={() => put(by === c.name && !falls ? `-${c.name}` : c.name)}
                >
                  {c.title}
                  {by === c.name && (falls ? <ArrowDown size={14} aria-hidden /> : <ArrowUp size={14} aria-hidden />)}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.join("\u0000")} className="border-t border-rule">
              {report.columns?.map((c, at) => (
                <td key={c.name} className={`py-1.5 pr-4 ${c.kind === "number" ? "text-right tabular-nums" : ""}`}>
                  <Cell kind={c.kind} of={row[at] ?? ""} />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Cell({ kind, of }: { kind: Schema["ReportColumn"]["kind"]; of: string }) {
  switch (kind) {
    case "staff":
      return (
        <Link to="/staff/$number" params={{ number: of }} className="hover:underline">
          {of}
        </Link>
      );
    case "date":
      return <span className="whitespace-nowrap">{day(of)}</span>;
    case "moment":
      return <span className="whitespace-nowrap">{moment(of)}</span>;
    default:
      return of;
  }
}

function MailDialog({
  kind,
  title,
  about,
  close,
}: {
  kind: string;
  title: string;
  about: Schema["ReportAsked"] & { sort?: string };
  close: () => void;
}) {
  const [often, setOften] = useState("weekly");
  const { sort: _, ...asked } = about;
  const run = useMutation({
    mutationFn: () =>
      take(
        api.POST("/me/reports", {
          body: { report: kind, about: asked, often: often as Schema["MailedReport"]["often"] },
        }),
      ),
    onSuccess: close,
  });
  return (
    <Ask
      open
      onOpenChange={close}
      title={`Mail “${title}” to me`}
      about="At seven in the morning, as it is asked for now. It ends on the page of reports."
    >
      <form
        className="space-y-3"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <SelectField label="How often" value={often} onChange={(e) => setOften(e.target.value)}>
          {Object.entries(oftenWord).map(([key, word]) => (
            <option key={key} value={key}>
              {word}
            </option>
          ))}
        </SelectField>
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending}>
            Mail it
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
