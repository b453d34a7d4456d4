import { keepPreviousData, useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { change, Refusal } from "@/api/api";
import { paged, read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { type Badge, BadgeActs, BadgeMark, badgeReference } from "@/parts/badges";
import { Combobox } from "@/parts/Combobox";
import { usePlaces, useZones } from "@/parts/choices";
import { Choice, Filter, inputLook, SearchBox, SelectField, TextField } from "@/parts/fields";
import { Listed, Unread } from "@/parts/Listed";
import { Page, Section } from "@/parts/Page";
import { SiteChoice } from "@/parts/PlaceChoice";
import { Print } from "@/parts/Print";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { howMany, moment } from "@/parts/words";
import { type Search, useFilters } from "@/search";

type Asked = Search<"/badges">;

export const formats = [
  ["wiegand26", "26-bit Wiegand"],
  ["wiegand34", "34-bit Wiegand"],
  ["wiegand35", "35-bit Wiegand"],
  ["wiegand37", "37-bit Wiegand"],
  ["wiegand37-plain", "37-bit Wiegand without a facility"],
  ["wiegand48", "48-bit Wiegand"],
  ["pair", "Facility and number"],
  ["uid4", "Contactless, 4 bytes"],
  ["uid7", "Contactless, 7 bytes"],
  ["uid10", "Contactless, 10 bytes"],
] as const;

const queryOf = (search: Search<"/badges">) => ({
  ...(search.q && { q: search.q }),
  ...(search.state && { state: search.state }),
  ...(search.site && { site: search.site }),
  ...(search.day && { day: search.day }),
  ...(search.left && { left: true }),
  sort: search.sort ?? ("number" as const),
});

/** The badges: where each is, and who has it. */
export function Badges() {
  const zones = useZones();
  const [search, put] = useFilters("/badges");
  const may = useMay();
  const places = usePlaces();
  const [adding, setAdding] = useState(false);
  const query = queryOf(search);
  const pages = useInfiniteQuery({
    ...paged("/badges", { query: { ...query, limit: 100 } }),
    placeholderData: keepPreviousData,
  });
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const total = pages.data?.pages[0]?.total ?? 0;
  const sites = places.data?.filter((p) => p.kind === "site") ?? [];
  const filtered = !!(search.q || search.state || search.site || search.day || search.left);
  return (
    <Page
      title="Badges"
      lead={pages.data && `${total} ${filtered ? "that fit" : "of the sites where you issue them"}`}
      acts={
        <>
          <TakeAlong from="/badges" query={query} file="badges.csv" />
          {may("console.credentials") && (
            <Print sheet={{ from: "/badges/print", query, file: "badges.pdf" }} disabled={total === 0} />
          )}
          {may("console.credentials") && (
            <Button look="main" onClick={() => setAdding(true)}>
              Add badges
            </Button>
          )}
        </>
      }
    >
      <div className="mb-3 grid items-end gap-2 sm:grid-cols-2 lg:grid-cols-[2fr_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)_auto]">
        <SearchBox label="Search badges" hint="Number, label or holder" value={search.q} onChange={(q) => put({ q })} />
        <Choice label="State" value={search.state} onChange={(state) => put({ state })}>
          <option value="">Any state</option>
          <option value="stock">In stock</option>
          <option value="issued">Issued</option>
          <option value="suspended">Suspended</option>
          <option value="overdue">Overdue</option>
          <option value="lost">Lost</option>
          <option value="destroyed">Destroyed</option>
        </Choice>
        <SiteChoice label="Site" value={search.site} onChange={(site) => put({ site })} />
        <Choice label="Day badges" value={search.day} onChange={(day) => put({ day })}>
          <option value="">Day badges too</option>
          <option value="true">Day badges only</option>
          <option value="false">No day badges</option>
        </Choice>
        <Filter label="Order">
          <select
            aria-label="Order"
            value={query.sort}
            onChange={(e) => put({ sort: e.target.value as Asked["sort"] })}
            className={inputLook}
          >
            <option value="number">By number</option>
            <option value="holder">By holder</option>
            <option value="until">Due first</option>
          </select>
        </Filter>
        <label className="flex items-center gap-2 whitespace-nowrap">
          <input
            type="checkbox"
            checked={!!search.left}
            onChange={(e) => put({ left: e.target.checked || undefined })}
            className="size-4 accent-damson"
          />
          With people who have left
        </label>
      </div>
      <Listed
        of={pages}
        empty={
          filtered
            ? "No badge fits."
            : "No badge yet. Add one, a range or a file of them to the stock of a site, then issue them to people."
        }
      >
        {() => (
          <div className="sheet overflow-x-auto">
            <table className="w-full">
              <thead className="bg-inset text-left text-sm text-faded">
                <tr>
                  <th className="px-3 py-1.5 font-semibold">Badge</th>
                  <th className="px-2 font-semibold">State</th>
                  <th className="px-2 font-semibold">Holder</th>
                  <th className="px-2 font-semibold">Since</th>
                  <th className="px-2 font-semibold">Until</th>
                  <th className="px-2 font-semibold">Stock of</th>
                  <th>
                    <span className="sr-only">Acts</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {items.map((b) => (
                  <tr key={b.id} className="border-t border-rule align-top">
                    <td className="px-3 py-1.5">
                      <Link
                        to="/badges/$id"
                        params={{ id: badgeReference(b) }}
                        className="font-semibold hover:underline"
                      >
                        {b.number}
                      </Link>
                      <span className="block text-sm text-faded">{b.label || b.format_words}</span>
                    </td>
                    <td className="px-2 py-1.5">
                      <BadgeMark state={b.state} />
                    </td>
                    <td className="px-2 py-1.5">
                      <Holder badge={b} />
                    </td>
                    <td className="px-2 py-1.5 whitespace-nowrap">
                      {b.holder && moment(b.holder.issued_at, zones(b.site.code))}
                    </td>
                    <td className="px-2 py-1.5 whitespace-nowrap">
                      {b.holder?.until && moment(b.holder.until, zones(b.site.code))}
                    </td>
                    <td className="px-2 py-1.5">{b.site.code}</td>
                    <td className="py-1.5 pr-2 text-right whitespace-nowrap">
                      <BadgeActs badge={b} few />
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
      </Listed>
      {pages.hasNextPage && (
        <Button className="mt-4" onClick={() => pages.fetchNextPage()} disabled={pages.isFetchingNextPage}>
          Show more
        </Button>
      )}
      {adding && (
        <AddDialog sites={sites.filter((p) => may("console.credentials", p.code))} close={() => setAdding(false)} />
      )}
    </Page>
  );
}

function Holder({ badge }: { badge: Badge }) {
  if (!badge.holder) return null;
  const { staff, status } = badge.holder;
  return (
    <>
      {staff.staff_number ? (
        <Link to="/staff/$number" params={{ number: staff.staff_number }} className="font-semibold hover:underline">
          {staff.name}
        </Link>
      ) : (
        staff.name
      )}
      {status === "left" && <span className="block text-sm font-semibold text-shut">has left</span>}
    </>
  );
}

/** Adds a badge, a range of them, or lines pasted from a file, to the stock of a site. */
function AddDialog({ sites, close }: { sites: { code: string; name: string }[]; close: () => void }) {
  const [fields, setFields] = useState({ format: "wiegand26", site: "", number: "", last: "", label: "", day: false });
  const [lines, setLines] = useState<{ number: string; last?: string; label?: string }[]>();
  const [unread, setUnread] = useState("");
  const put = (next: Partial<typeof fields>) => setFields({ ...fields, ...next });
  const run = useMutation({
    mutationFn: () =>
      change(
        [
          {
            op: "badge.add",
            set: {
              ...fields,
              site: fields.site || sites[0]?.code,
              ...(lines && { number: "", last: "", more: lines }),
            },
          },
        ],
        "",
      ),
    onSuccess: close,
  });
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  const readFile = async (file: File | undefined) => {
    setUnread("");
    if (!file) return setLines(undefined);
    const rows = (await file.text())
      .replace(/^\ufeff/, "")
      .split(/\r?\n/)
      .filter((row) => row.trim());
    const head =
      rows[0]
        ?.toLowerCase()
        .split(/[,;\t]/)
        .map((c) => c.trim().replaceAll('"', "")) ?? [];
    const at = (name: string) => head.indexOf(name);
    if (at("number") < 0) {
      setLines(undefined);
      return setUnread("The first line names the columns: number, and if you like last and label.");
    }
    setLines(
      rows.slice(1).map((row) => {
        const cells = row.split(/[,;\t]/).map((c) => c.trim().replaceAll('"', ""));
        return {
          number: cells[at("number")] ?? "",
          ...(at("last") >= 0 && { last: cells[at("last")] ?? "" }),
          ...(at("label") >= 0 && { label: cells[at("label")] ?? "" }),
        };
      }),
    );
  };
  return (
    <Ask
      open
      onOpenChange={(open) => !open && close()}
      title="Add badges"
      about="They go into the stock of a site, and open nothing until they are issued."
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          <SelectField
            label="Format of the card"
            value={fields.format}
            onChange={(e) => put({ format: e.target.value })}
          >
            {formats.map(([code, name]) => (
              <option key={code} value={code}>
                {name}
              </option>
            ))}
          </SelectField>
          <Combobox
            label="Stock of"
            required
            value={fields.site || (sites[0]?.code ?? "")}
            onChange={(e) => put({ site: e.target.value })}
            {...(wrong?.field("site") && { error: wrong.field("site")! })}
            options={sites.map((p) => ({ value: p.code, label: p.name, note: p.code }))}
          />
          <TextField
            label={fields.last ? "First number" : "Number"}
            autoFocus
            required={!lines}
            disabled={!!lines}
            value={fields.number}
            onChange={(e) => put({ number: e.target.value })}
            error={wrong?.field("number")}
            hint={fields.format.startsWith("uid") ? "Such as 04A23BC91D5E80" : "Such as 118-1603"}
          />
          <TextField
            label="Last number"
            optional
            disabled={!!lines || fields.format.startsWith("uid")}
            value={fields.last}
            onChange={(e) => put({ last: e.target.value })}
            error={wrong?.field("last")}
            hint="The last of a range"
          />
          <TextField
            label="Label"
            optional
            maxLength={80}
            value={fields.label}
            onChange={(e) => put({ label: e.target.value })}
          />
          <label className="mt-6 flex items-center gap-2">
            <input
              type="checkbox"
              checked={fields.day}
              onChange={(e) => put({ day: e.target.checked })}
              className="size-4 accent-damson"
            />
            Day badges, due after a shift
          </label>
        </div>
        <TextField
          label="Or a CSV file"
          optional
          type="file"
          accept=".csv,text/csv,text/plain"
          onChange={(e) => readFile(e.target.files?.[0])}
          error={unread}
          hint={lines ? `${lines.length} lines are read.` : "With the columns number, last and label."}
        />
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending}>
            {run.isPending ? "Adding…" : "Add to the stock"}
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

/** One badge: where it is, and whose it was from when until when. */
export function BadgePage() {
  const { id } = useParams({ from: "/badges/$id" });
  const may = useMay();
  const badge = useQuery({
    ...read("/badges/{id}", { path: { id } }),
  });
  const issues = useQuery({
    ...read("/badges/{id}/issues", { path: { id }, query: { limit: 200 } }),
  });
  if (!badge.data) return <Unread of={badge} />;
  const b = badge.data;
  return (
    <Page
      title={`Badge ${b.number}`}
      lead={
        <span className="flex flex-wrap items-center gap-2">
          <BadgeMark state={b.state} />
          <span>
            {b.format_words} · stock of {b.site.name}
            {b.label && ` · ${b.label}`}
            {b.day && " · lent for a shift"}
          </span>
        </span>
      }
      acts={
        <>
          {may("console.credentials", b.site.code) && (
            <Print sheet={{ from: "/badges/print", query: { ids: b.id }, file: `badge-${b.number}.pdf` }} />
          )}
          <BadgeActs badge={b} />
        </>
      }
    >
      <Section title="Whose it was" note={issues.data && howMany(issues.data.total, "holder", "times issued")}>
        {issues.data?.items.length === 0 && <p className="text-faded">Nobody has had it yet.</p>}
        <ol>
          {issues.data?.items.map((i) => (
            <li key={i.credential} className="border-b border-rule py-2 last:border-b-0">
              {i.staff.staff_number ? (
                <Link
                  to="/staff/$number"
                  params={{ number: i.staff.staff_number }}
                  className="font-semibold hover:underline"
                >
                  {i.staff.name}
                </Link>
              ) : (
                <b className="font-semibold">{i.staff.name}</b>
              )}
              {i.status === "left" && <span className="ml-2 text-sm font-semibold text-shut">has left</span>}
              <span className="block">
                issued {moment(i.issued_at)}
                {i.until && `, until ${moment(i.until)}`}
                {i.since &&
                  `, ${{ withdrawn: "taken back", lost: "lost", suspended: "suspended", valid: "" }[i.state]} ${moment(i.since)}`}
                {i.reason && `: ${i.reason}`}
              </span>
            </li>
          ))}
        </ol>
      </Section>
    </Page>
  );
}
