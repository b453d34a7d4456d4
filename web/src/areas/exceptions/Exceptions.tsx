import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, everyPage, type Operation, type Schema, take } from "@/api/api";
import { paged } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { RuleTabs } from "@/areas/templates/tabs";
import { Button } from "@/parts/Button";
import { NarrowBy } from "@/parts/Combobox";
import { ChangeDialog } from "@/parts/change";
import { templateOptions, useTemplates } from "@/parts/choices";
import { Choice, Filter, inputLook, SearchBox } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { day, howMany } from "@/parts/words";
import { type Search, useFilters } from "@/search";
import { ExceptionDialog } from "./ExceptionDialog";
import { ExceptionEdit } from "./ExceptionEdit";

type Exception = Schema["Exception"];
type Asked = Search<"/exceptions">;

export const exceptionWords = (e: Exception) =>
  e.withheld ? "withheld" : e.level === "yes" ? "added" : `added, ${e.level}`;

/** All exceptions: who differs from their template, since when, until when, why, and which change nothing any more. */
export function Exceptions() {
  const [search, put] = useFilters("/exceptions");
  const may = useMay();
  const templates = useTemplates();
  const [editing, setEditing] = useState<Schema["Exception"]>();
  const [making, setMaking] = useState(false);
  const [ready, setReady] = useState<{ title: string; about: string; button: string; operations: Operation[] }>();
  const query = {
    ...(search.template && { template: search.template }),
    ...(search.q && { q: search.q }),
    ...(search.kind && { kind: search.kind }),
    ...(search.redundant && { redundant: true }),
    sort: search.sort ?? ("newest" as const),
  };
  const pages = useInfiniteQuery({
    ...paged("/exceptions", { query: { ...query, limit: 100 } }),
    placeholderData: keepPreviousData,
  });
  const items = pages.data?.pages.flatMap((p) => p.items) ?? [];
  const acts = may("console.except");
  const tidy = async () => {
    const redundant = await everyPage((after) =>
      take(api.GET("/exceptions", { params: { query: { redundant: true, limit: 500, ...(after && { after }) } } })),
    );
    setReady({
      title: `End ${redundant.length} redundant exceptions`,
      about: redundant.map((e) => `${e.staff.name}, ${e.title}: ${e.redundant}`).join(" "),
      button: "End them",
      operations: redundant.map((e) => ({ op: "exception.end", on: String(e.id) })),
    });
  };
  return (
    <Page
      title="Exceptions"
      lead={pages.data && `${pages.data.pages[0]?.total ?? 0} where one person differs from their template`}
      acts={
        <>
          <TakeAlong from="/exceptions" query={query} file="exceptions.csv" />
          {acts && <Button onClick={tidy}>End those that are redundant</Button>}
          {acts && (
            <Button look="main" onClick={() => setMaking(true)}>
              Make an exception
            </Button>
          )}
        </>
      }
    >
      <RuleTabs />
      <div className="mb-3 grid items-end gap-2 sm:grid-cols-2 lg:grid-cols-[2fr_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)_auto]">
        <SearchBox
          label="Search exceptions"
          hint="Person, permission, place or reason"
          value={search.q}
          onChange={(q) => put({ q })}
        />
        <NarrowBy
          label="That differ from a template"
          placeholder="Any template"
          value={search.template ?? ""}
          onChange={(e) => put({ template: e.target.value || undefined })}
          options={templateOptions(templates.data?.items)}
        />
        <Choice label="Added or withheld" value={search.kind} onChange={(kind) => put({ kind })}>
          <option value="">Added and withheld</option>
          <option value="added">Added</option>
          <option value="withheld">Withheld</option>
        </Choice>
        <Filter label="Order">
          <select
            aria-label="Order"
            value={query.sort}
            onChange={(e) => put({ sort: e.target.value as Asked["sort"] })}
            className={inputLook}
          >
            <option value="newest">Newest first</option>
            <option value="oldest">Oldest first</option>
            <option value="until">Ending first</option>
            <option value="staff">By name</option>
          </select>
        </Filter>
        <label className="flex items-center gap-2 whitespace-nowrap">
          <input
            type="checkbox"
            checked={!!search.redundant}
            onChange={(e) => put({ redundant: e.target.checked || undefined })}
            className="size-4 accent-damson"
          />
          Redundant only
        </label>
      </div>
      <Listed of={pages} empty={<>No exception fits. Everybody has what their templates give, and nothing else.</>}>
        {() => (
          <div className="sheet overflow-x-auto">
            <table className="w-full">
              <thead className="bg-inset text-left text-sm text-faded">
                <tr>
                  <th className="px-3 py-1.5 font-semibold">Who</th>
                  <th className="px-2 font-semibold">What</th>
                  <th className="px-2 font-semibold">Where</th>
                  <th className="px-2 font-semibold">Age</th>
                  <th className="px-2 font-semibold">Until</th>
                  <th className="px-2 font-semibold">Why</th>
                  <th>
                    <span className="sr-only">Acts</span>
                  </th>
                </tr>
              </thead>
              <tbody>
                {items.map((e) => (
                  <Row
                    key={e.id}
                    of={e}
                    acts={acts}
                    change={() => setEditing(e)}
                    end={() =>
                      setReady({
                        title: `End the exception of ${e.staff.name}`,
                        about: `${e.title}, ${exceptionWords(e)} at ${e.place.name}. It stays on record.`,
                        button: "End it",
                        operations: [{ op: "exception.end", on: String(e.id) }],
                      })
                    }
                  />
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
      {editing && <ExceptionEdit exception={editing} close={() => setEditing(undefined)} />}
      {making && <ExceptionDialog close={() => setMaking(false)} />}
      {ready &&
        (ready.operations.length ? (
          <ChangeDialog {...ready} close={() => setReady(undefined)} />
        ) : (
          <NothingRedundant close={() => setReady(undefined)} />
        ))}
    </Page>
  );
}

function NothingRedundant({ close }: { close: () => void }) {
  return (
    <p role="status" className="mt-3 flex items-center gap-3">
      No exception is redundant. <Button onClick={close}>Good</Button>
    </p>
  );
}

function Row({
  of: e,
  acts,
  change,
  end,
}: {
  of: Schema["Exception"];
  acts: boolean;
  change: () => void;
  end: () => void;
}) {
  return (
    <tr className="border-t border-rule align-top">
      <td className="px-3 py-1.5">
        <Link to="/staff/$number" params={{ number: e.staff.staff_number }} className="font-semibold hover:underline">
          {e.staff.name}
        </Link>
        <span className="block text-sm text-faded">{e.templates.join(", ") || "no template there"}</span>
      </td>
      <td className="px-2 py-1.5">
        {e.title}
        <b className={`block text-sm font-semibold ${e.withheld ? "text-shut" : "text-open"}`}>{exceptionWords(e)}</b>
      </td>
      <td className="px-2 py-1.5">{e.place.name}</td>
      <td className="px-2 py-1.5 whitespace-nowrap">{howMany(e.days, "day", "days")}</td>
      <td className={`px-2 py-1.5 whitespace-nowrap ${e.when === "past" ? "text-faded line-through" : ""}`}>
        {day(e.until) || "open"}
      </td>
      <td className="px-2 py-1.5">
        {e.reason}
        {e.redundant && <span className="block text-sm font-semibold text-soon">Redundant: {e.redundant}</span>}
      </td>
      <td className="py-1.5 pr-2 text-right whitespace-nowrap">
        {acts && !e.ended && (
          <Button
            look="quiet"
            className="min-h-0 px-1"
            aria-label={`Change the exception of ${e.staff.name}, ${e.title}`}
            onClick={change}
          >
            Change
          </Button>
        )}
        {acts && !e.ended && (
          <Button
            look="quiet"
            className="min-h-0 px-1"
            aria-label={`End the exception of ${e.staff.name}, ${e.title}`}
            onClick={end}
          >
            End
          </Button>
        )}
      </td>
    </tr>
  );
}
