import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Schema, take } from "@/api/api";
import { read, touched } from "@/api/read";
import { Acting } from "@/parts/Acting";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Section } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";

/** All that acts for somebody over whom one stands. */
export function ActsFor({ number, called }: { number: string; called: string }) {
  const list = useQuery({
    ...read("/staff/{id}/sessions", { path: { id: number }, query: { limit: 200 } }),
    retry: false,
  });
  const [asking, setAsking] = useState(false);
  const end = useMutation({
    mutationFn: (session?: string) =>
      take(api.DELETE("/staff/{id}/sessions", { params: { path: { id: number }, query: { session } } })),
    onSuccess: () => {
      setAsking(false);
      return touched("/staff/{id}/sessions", "/drafts");
    },
  });
  const items = list.data?.items ?? [];
  if (!items.length) return null;
  const plans = items.filter((s) => s.kind === "plan").length;
  return (
    <Section
      title={`What acts for ${called}`}
      note={
        items.some((s) => s.id) && (
          <button
            type="button"
            className="text-damson underline underline-offset-2"
            disabled={end.isPending}
            onClick={() => setAsking(true)}
          >
            End all of it
          </button>
        )
      }
    >
      <Wrong error={end.error} />
      <Acting list={items} end={(one) => end.mutate(one.id)} busy={end.isPending} />
      <Ask
        open={asking}
        onOpenChange={setAsking}
        title={`End all that acts for ${called}?`}
        about={`Sessions, tokens, calendar addresses, visits and links end at once. ${
          plans ? `${plans === 1 ? "A planned draft becomes" : `${plans} planned drafts become`} open. ` : ""
        }${called} signs in again with the password. Devices go on: retire one whose token is not safe.`}
      >
        <div className="flex justify-end gap-2">
          <Button onClick={() => setAsking(false)}>Keep it</Button>
          <Button look="main" disabled={end.isPending} onClick={() => end.mutate(undefined)}>
            End all of it
          </Button>
        </div>
      </Ask>
    </Section>
  );
}

/** What, where and whose records: three separate things. */
export function Scope({ access }: { access?: Schema["Access"] }) {
  const rows = access?.statements.filter((s) => s.when !== "past" && s.abilities.length > 0 && !s.exception) ?? [];
  if (!rows.length) return null;
  const whose = (s: Schema["Statement"]) => s.abilities.filter((a) => a.reach);
  return (
    <Section title="What, where, whose records">
      <div className="overflow-x-auto">
        <table className="w-full">
          <thead>
            <tr className="text-left text-sm text-faded">
              <th className="py-1 font-semibold">What</th>
              <th className="font-semibold">Where</th>
              <th className="font-semibold">Whose records</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((s) => (
              <tr key={s.assignment} className="border-t border-rule align-top">
                <td className="py-1.5 pr-3">
                  <b className="font-semibold">{s.template}</b>
                  <span className="block text-sm text-faded">{s.abilities.length} permissions</span>
                </td>
                <td className="py-1.5 pr-3">
                  {s.place?.name}
                  <span className="block text-sm text-faded">{s.covers}</span>
                </td>
                <td className="py-1.5">
                  {whose(s).map((a) => (
                    <span key={a.permission} className="block">
                      {a.title}: <b className="font-semibold">{a.level}</b>
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
