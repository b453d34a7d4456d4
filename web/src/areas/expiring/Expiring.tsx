import { keepPreviousData, useInfiniteQuery, useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { CalendarPlus } from "lucide-react";
import { useState } from "react";
import { api, isUnanswered, Refusal, reread, type Schema, take } from "@/api/api";
import { paged, read, touched } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { isoDay } from "@/parts/AssignmentFields";
import { Button } from "@/parts/Button";
import { useApplied } from "@/parts/change";
import { DateField } from "@/parts/DateField";
import { Effects } from "@/parts/effects";
import { Choice, Filter, inputLook, SearchBox, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { SiteChoice } from "@/parts/PlaceChoice";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { howMany, moment } from "@/parts/words";
import { type Search, useFilters } from "@/search";

type Item = Schema["Expiring"];
type Asked = Search<"/expiring">;

const kinds: Record<Item["kind"], string> = {
  contract: "Contracts",
  leaving: "Leaving dates",
  assignment: "Assignments",
  exception: "Exceptions",
  badge: "Badges",
  pin: "PINs",
  password: "Passwords",
  certificate: "Qualifications",
  token: "Sign-ins of the client",
  bar: "Bars",
  lock: "Locks",
};

const keyOf = (e: Item) => `${e.kind} ${e.id}`;

/** What runs out by itself, by date: renewed, one or many, or let go. */
export function Expiring() {
  const [search, put] = useFilters("/expiring");
  const days = search.days ?? 30;
  const query = {
    until: isoDay(days),
    ...(search.kind && { kind: search.kind }),
    ...(search.site && { site: search.site }),
    ...(search.q && { q: search.q }),
    let_go: search.let_go ?? ("false" as const),
  };
  const pages = useInfiniteQuery({
    ...paged("/expiring", { query: { ...query, limit: 200 } }),
    placeholderData: keepPreviousData,
  });
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const total = pages.data?.pages[0]?.total ?? 0;
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const [dialog, setDialog] = useState<"renew" | "let go" | "feed">();
  const marked = items.filter((e) => chosen.has(keyOf(e)));
  const close = () => {
    setDialog(undefined);
    setChosen(new Set());
  };
  return (
    <Page
      title="Running out"
      lead={pages.data && `${howMany(total, "thing ends", "things end")} within ${days} days. Each stops by itself.`}
      acts={
        <>
          <Button onClick={() => setDialog("feed")}>
            <CalendarPlus size={16} aria-hidden /> Into your calendar
          </Button>
          <TakeAlong from="/expiring" query={query} file="running-out.csv" />
        </>
      }
    >
      <Filters search={search} put={put} />
      <div className="mb-2 flex min-h-9 flex-wrap items-center gap-2">
        <Button disabled={!marked.length || marked.some((e) => !e.renewable)} onClick={() => setDialog("renew")}>
          Renew {marked.length > 0 && marked.length}
        </Button>
        <Button disabled={!marked.length} onClick={() => setDialog("let go")}>
          Let go {marked.length > 0 && marked.length}
        </Button>
        {marked.some((e) => !e.renewable) && (
          <span className="text-sm text-faded">A bar or a lock ends by itself and is not renewed.</span>
        )}
      </div>
      <Listed of={pages} empty={<>Nothing that you may see runs out in these days.</>}>
        {() => (
          <div className="sheet overflow-x-auto">
            <table className="w-full">
              <thead className="bg-inset text-left text-sm text-faded">
                <tr>
                  <th className="py-1.5 pl-3">
                    <input
                      type="checkbox"
                      aria-label="All that are listed"
                      className="size-4 accent-damson"
                      checked={items.length > 0 && marked.length === items.length}
                      onChange={(e) => setChosen(new Set(e.target.checked ? items.map(keyOf) : []))}
                    />
                  </th>
                  <th className="px-2 font-semibold">Counts until</th>
                  <th className="px-2 font-semibold">Who</th>
                  <th className="px-2 font-semibold">What</th>
                  <th className="px-2 font-semibold">Where</th>
                  <th className="px-2 font-semibold">Manager</th>
                </tr>
              </thead>
              <tbody>
                {items.map((e) => (
                  <tr key={keyOf(e)} className="border-t border-rule align-top">
                    <td className="py-1.5 pl-3">
                      <input
                        type="checkbox"
                        aria-label={`${e.staff.name}, ${e.what}`}
                        className="mt-1 size-4 accent-damson"
                        checked={chosen.has(keyOf(e))}
                        onChange={(event) => {
                          const next = new Set(chosen);
                          if (event.target.checked) next.add(keyOf(e));
                          else next.delete(keyOf(e));
                          setChosen(next);
                        }}
                      />
                    </td>
                    <td className="px-2 py-1.5 whitespace-nowrap">
                      {e.until_when}
                      <span className="block text-sm text-faded">
                        {e.days === 0 ? "today" : e.days === 1 ? "tomorrow" : `in ${e.days} days`}
                      </span>
                    </td>
                    <td className="px-2 py-1.5">
                      <Link
                        to="/staff/$number"
                        params={{ number: e.staff.staff_number }}
                        className="font-semibold hover:underline"
                      >
                        {e.staff.name}
                      </Link>
                      <span className="block text-sm text-faded">{e.home_site.name}</span>
                    </td>
                    <td className="px-2 py-1.5">
                      {e.what}
                      {e.let_go && (
                        <span className="block text-sm text-soon">
                          Let go{e.let_go.by && ` by ${e.let_go.by.name}`}: {e.let_go.reason}
                        </span>
                      )}
                    </td>
                    <td className="px-2 py-1.5">{e.place?.name}</td>
                    <td className="px-2 py-1.5">{e.manager?.name}</td>
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
      {dialog === "renew" && <RenewDialog items={marked} close={close} />}
      {dialog === "let go" && <LetGoDialog items={marked} close={close} />}
      {dialog === "feed" && <FeedDialog close={() => setDialog(undefined)} />}
    </Page>
  );
}

function Filters({ search, put }: { search: Asked; put: (next: Asked) => void }) {
  const days = search.days ?? 30;
  return (
    <div className="mb-3 grid items-end gap-2 sm:grid-cols-2 lg:grid-cols-[2fr_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)]">
      <SearchBox label="Search people" hint="Name or staff number" value={search.q} onChange={(q) => put({ q })} />
      <Filter label="Within">
        <select
          aria-label="Within"
          value={days}
          onChange={(e) => put({ days: Number(e.target.value) })}
          className={inputLook}
        >
          {[7, 14, 30, 90, 365].map((n) => (
            <option key={n} value={n}>
              Within {n} days
            </option>
          ))}
        </select>
      </Filter>
      <Choice label="Kind" value={search.kind} onChange={(kind) => put({ kind })}>
        <option value="">Everything</option>
        {Object.entries(kinds).map(([k, name]) => (
          <option key={k} value={k}>
            {name}
          </option>
        ))}
      </Choice>
      <SiteChoice label="Home site" value={search.site} onChange={(site) => put({ site })} />
      <Filter label="Let go">
        <select
          aria-label="Let go"
          value={search.let_go ?? "false"}
          onChange={(e) => put({ let_go: e.target.value as Asked["let_go"] })}
          className={inputLook}
        >
          <option value="false">Not decided</option>
          <option value="true">Let go</option>
          <option value="all">Both</option>
        </select>
      </Filter>
    </div>
  );
}

const named = (items: Item[]) =>
  items
    .slice(0, 6)
    .map((e) => `${e.staff.name}, ${e.what.toLowerCase()}`)
    .join(" · ") + (items.length > 6 ? ` · and ${items.length - 6} more` : "");

/** Gives what runs out a new last day, with who gains by it shown first. */
function RenewDialog({ items, close }: { items: Item[]; close: () => void }) {
  const [until, setUntil] = useState("");
  const [reason, setReason] = useState("");
  const applied = useApplied();
  const body = { items: items.map((e) => ({ kind: e.kind, id: e.id })), until };
  const preview = useQuery({
    queryKey: ["/expiring/renew", body],
    queryFn: () => take(api.POST("/expiring/renew", { params: { query: { preview: true } }, body })),
    enabled: until !== "",
    retry: false,
  });
  const run = useMutation({
    mutationFn: () => take(api.POST("/expiring/renew", { body: { ...body, ...(reason && { reason }) } })),
    onSuccess: async (r) => {
      applied(r);
      close();
      await reread();
    },
  });
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  const asks = preview.data?.effect.needs_reason;
  return (
    <Ask
      open
      wide
      onOpenChange={(open) => !open && close()}
      title={items.length === 1 ? "Renew" : `Renew ${items.length}`}
      about={named(items)}
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <DateField
          label="New last day"
          type="date"
          required
          autoFocus
          value={until}
          onChange={(e) => setUntil(e.target.value)}
        />
        {preview.data && <Effects effect={preview.data.effect} />}
        <TextField
          label="Why"
          required={asks}
          optional={!asks}
          maxLength={500}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          error={wrong?.field("reason")}
        />
        <Wrong error={run.error ?? preview.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending || (preview.isError && !isUnanswered(run.error))}>
            Renew
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

function LetGoDialog({ items, close }: { items: Item[]; close: () => void }) {
  const [reason, setReason] = useState("");
  const run = useMutation({
    mutationFn: () =>
      take(api.POST("/expiring/let-go", { body: { items: items.map((e) => ({ kind: e.kind, id: e.id })), reason } })),
    onSuccess: async () => {
      close();
      await touched("/expiring");
    },
  });
  return (
    <Ask
      open
      onOpenChange={(open) => !open && close()}
      title={items.length === 1 ? "Let it run out" : `Let ${items.length} run out`}
      about={`${named(items)}. Nothing changes now; it waits on no list any more.`}
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <TextField
          label="Why"
          required
          autoFocus
          maxLength={500}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending}>
            Let it run out
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

/** The secret addresses at which one's calendar reads this list. */
function FeedDialog({ close }: { close: () => void }) {
  const [name, setName] = useState("");
  const feeds = useQuery({ ...read("/me/feeds") });
  const refresh = () => touched("/me/feeds");
  const add = useMutation({ mutationFn: () => take(api.POST("/me/feeds", { body: { name } })), onSuccess: refresh });
  const end = useMutation({
    mutationFn: (id: number) => take(api.DELETE("/me/feeds/{id}", { params: { path: { id } } })),
    onSuccess: refresh,
  });
  return (
    <Ask
      open
      wide
      onOpenChange={(open) => !open && close()}
      title="Into your calendar"
      about="Your calendar reads what runs out from a secret address. Whoever has the address reads what you would."
    >
      <div className="space-y-4">
        {add.data && (
          <div className="rounded-sm border-2 border-dashed border-brass bg-soon-wash px-4 py-3">
            <p className="text-sm font-semibold text-soon">Shown this once: subscribe to it in your calendar</p>
            <p className="break-all select-all" data-secret="feed">
              {add.data.address}
            </p>
          </div>
        )}
        <ul>
          {feeds.data?.items.map((f) => (
            <li key={f.id} className="flex items-center justify-between gap-3 border-b border-rule py-1.5">
              <span>
                <b className="font-semibold">{f.name}</b>
                <span className="block text-sm text-faded">
                  made {moment(f.created_at)}
                  {f.last_used ? `, last read ${moment(f.last_used)}` : ", not read yet"}
                </span>
              </span>
              <Button onClick={() => end.mutate(f.id)} disabled={end.isPending}>
                End
              </Button>
            </li>
          ))}
        </ul>
        <form
          className="flex items-end gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate();
          }}
        >
          <TextField
            label="A name for a new address"
            className="grow"
            required
            maxLength={100}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="submit" look="main" disabled={add.isPending}>
            Make an address
          </Button>
        </form>
        <Listed of={feeds}>{() => null}</Listed>
        <Wrong error={add.error ?? end.error} />
        <Button onClick={close}>Done</Button>
      </div>
    </Ask>
  );
}
