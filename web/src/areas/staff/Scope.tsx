import { useMutation, useQuery } from "@tanstack/react-query";
import { api, type Schema, take } from "@/api/api";
import { read, touched } from "@/api/read";
import { Button } from "@/parts/Button";
import { Section } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";

/** Ends everything somebody is signed in with. */
export function EndSessions({ number }: { number: string }) {
  const list = useQuery({
    ...read("/staff/{id}/sessions", { path: { id: number }, query: { limit: 200 } }),
    retry: false,
  });
  const end = useMutation({
    mutationFn: () => take(api.DELETE("/staff/{id}/sessions", { params: { path: { id: number } } })),
    onSuccess: () => touched("/staff/{id}/sessions"),
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
