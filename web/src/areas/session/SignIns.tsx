import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Schema, take } from "@/api/api";
import { read, touched } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Choice, Filter, inputLook, SearchBox } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Empty, Page } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { howMany, moment } from "@/parts/words";
import { useFilters } from "@/search";

type Account = Schema["SignInAccount"];
const marks: Record<Account["state"], React.ReactNode> = {
  signs_in: <Mark of="active">Signs in</Mark>,
  first_password: <Mark of="prepared">First password</Mark>,
  none: <Mark of="left">No password</Mark>,
  run_out: <Mark of="shut">Run out</Mark>,
  locked: <Mark of="locked" />,
};

/** Who signs in to the console, or may; when they last did; and what is done about it for several at once. */
export function SignIns() {
  const [search, put] = useFilters("/sign-ins");
  const [chosen, setChosen] = useState<string[]>([]);
  const [doing, setDoing] = useState<"end" | "links">();
  const query = {
    ...(search.q && { q: search.q }),
    ...(search.state && { state: search.state }),
    ...(search.unused && { unused_days: search.unused }),
    sort: search.sort ?? ("name" as const),
  };
  const list = useQuery({
    ...read("/sign-ins", { query: { ...query, limit: 500 } }),
    placeholderData: keepPreviousData,
  });
  const items = list.data?.items ?? [];
  const all = items.length > 0 && items.every((a) => chosen.includes(a.staff.staff_number));
  return (
    <Page
      title="Sign-ins"
      lead="Who signs in to this console, or may by what they hold."
      acts={
        <>
          <TakeAlong from="/sign-ins" query={query} file="sign-ins.csv" />
          <Button disabled={!chosen.length} onClick={() => setDoing("links")}>
            Mail a password link
          </Button>
          <Button look="grave" disabled={!chosen.length} onClick={() => setDoing("end")}>
            Sign out everywhere
          </Button>
        </>
      }
    >
      <div className="mb-3 grid items-end gap-2 sm:grid-cols-2 lg:grid-cols-[2fr_minmax(0,1fr)_minmax(0,1fr)_minmax(0,1fr)]">
        <SearchBox label="Search sign-ins" hint="Name, number or email" value={search.q} onChange={(q) => put({ q })} />
        <Choice label="State" value={search.state} onChange={(state) => put({ state })}>
          <option value="">Any state</option>
          <option value="signs_in">Signs in</option>
          <option value="first_password">First password</option>
          <option value="none">No password</option>
          <option value="run_out">Run out</option>
          <option value="locked">Locked</option>
        </Choice>
        <Filter label="Not used for">
          <select
            aria-label="Not used for"
            value={search.unused ?? ""}
            onChange={(e) => put({ unused: e.target.value ? Number(e.target.value) : undefined })}
            className={inputLook}
          >
            <option value="">Used or not</option>
            {[14, 30, 60, 90, 180].map((d) => (
              <option key={d} value={d}>
                Not used for {d} days
              </option>
            ))}
          </select>
        </Filter>
        <Filter label="Order">
          <select
            aria-label="Order"
            value={search.sort ?? "name"}
            onChange={(e) => put({ sort: e.target.value as "name" })}
            className={inputLook}
          >
            <option value="name">By name</option>
            <option value="last">Longest ago first</option>
            <option value="-last">Newest first</option>
          </select>
        </Filter>
      </div>
      <Listed of={list}>{() => null}</Listed>
      {list.data && items.length === 0 && (
        <Empty>Nobody fits. Somebody signs in once they hold a console permission and have a password.</Empty>
      )}
      {items.length > 0 && (
        <div className="overflow-x-auto">
          <table className="w-full">
            <thead>
              <tr className="text-left text-sm text-faded">
                <th className="w-8 py-1">
                  <input
                    type="checkbox"
                    aria-label="Choose all"
                    className="size-4 accent-damson"
                    checked={all}
                    onChange={() => setChosen(all ? [] : items.map((a) => a.staff.staff_number))}
                  />
                </th>
                <th className="font-semibold">Who</th>
                <th className="font-semibold">State</th>
                <th className="font-semibold">Last sign-in</th>
                <th className="pr-3 text-right font-semibold">Days unused</th>
                <th className="text-right font-semibold">Sessions</th>
              </tr>
            </thead>
            <tbody>
              {items.map((a) => {
                const number = a.staff.staff_number;
                return (
                  <tr key={number} className="border-t border-rule">
                    <td className="py-1.5">
                      <input
                        type="checkbox"
                        aria-label={`Choose ${a.staff.name}`}
                        className="size-4 accent-damson"
                        checked={chosen.includes(number)}
                        onChange={(e) =>
                          setChosen(e.target.checked ? [...chosen, number] : chosen.filter((n) => n !== number))
                        }
                      />
                    </td>
                    <td className="pr-3">
                      <Link to="/staff/$number" params={{ number }} className="font-semibold hover:underline">
                        {a.staff.name}
                      </Link>{" "}
                      <span className="text-sm text-faded">
                        {number}
                        {a.owner && " · owner"}
                        {a.email ? ` · ${a.email}` : " · no email"}
                      </span>
                    </td>
                    <td className="pr-3">{marks[a.state]}</td>
                    <td className="pr-3 whitespace-nowrap">{a.last_sign_in ? moment(a.last_sign_in) : "never"}</td>
                    <td className="pr-3 text-right tabular-nums">{a.unused_days ?? "–"}</td>
                    <td className="text-right tabular-nums">{a.sessions}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        </div>
      )}
      {doing && (
        <SettleDialog
          act={doing}
          staff={chosen}
          close={() => {
            setDoing(undefined);
            setChosen([]);
          }}
        />
      )}
    </Page>
  );
}

function SettleDialog({ act, staff, close }: { act: "end" | "links"; staff: string[]; close: () => void }) {
  const run = useMutation({
    mutationFn: async () => {
      const settled = await take(
        act === "end"
          ? api.POST("/sign-ins/end", { body: { staff } })
          : api.POST("/sign-ins/links", { body: { staff } }),
      );
      await touched("/sign-ins");
      return settled;
    },
  });
  const count = howMany(staff.length, "person", "people");
  return (
    <Ask
      open
      onOpenChange={close}
      title={act === "end" ? `Sign ${count} out everywhere` : `Mail a password link to ${count}`}
      about={
        act === "end"
          ? "All their sessions and tokens end at once. They sign in again with their password."
          : "Each gets a link that works once, for two hours, with their staff number. The password there is now goes on counting until then."
      }
    >
      <div className="space-y-4">
        <Wrong error={run.error} />
        {run.data && (
          <p role="status">
            {act === "end" ? "Signed out" : "Sent"}: {run.data.done.length}.
          </p>
        )}
        {run.data?.refused.map((r) => (
          <p key={r.staff} className="text-shut">
            {r.staff}: {r.why}
          </p>
        ))}
        <div className="flex gap-2">
          {!run.data && (
            <Button
              look={act === "end" ? "grave" : "main"}
              autoFocus
              disabled={run.isPending}
              onClick={() => run.mutate()}
            >
              {act === "end" ? "Sign them out" : "Send the links"}
            </Button>
          )}
          <Button onClick={close}>{run.data ? "Close" : "Cancel"}</Button>
        </div>
      </div>
    </Ask>
  );
}
