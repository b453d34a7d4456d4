import { useQuery } from "@tanstack/react-query";
import { Link, useParams } from "@tanstack/react-router";
import { Fragment, useState } from "react";
import { api, take } from "@/api/api";
import { Loading, Page, Section, Wrong } from "@/parts/parts";

/** The templates, and beside them one of them: what it gives and where each setting comes from. */
export function Templates() {
  const { code } = useParams({ strict: false }) as { code?: string };
  const list = useQuery({ queryKey: ["templates"], queryFn: () => take(api.GET("/templates", { params: { query: { limit: 500 } } })) });
  const chosen = code ?? list.data?.items[0]?.code;
  return (
    <Page title="Templates" lead={`${list.data?.total ?? 0} kinds of work`}>
      <Wrong error={list.error} />
      {list.isPending && <Loading />}
      <div className="grid items-start gap-8 md:grid-cols-[21rem_1fr]">
        <nav aria-label="Templates" className="sheet py-1 md:sticky md:top-20">
          {list.data?.items.map((t) => (
            <Link
              key={t.code}
              to="/templates/$code"
              params={{ code: t.code }}
              aria-current={t.code === chosen ? "page" : undefined}
              className={`flex justify-between gap-3 px-3 py-1.5 ${t.code === chosen ? "bg-damson-wash font-[600]" : "hover:bg-inset"}`}
            >
              {t.name}
              <span className="text-sm font-normal text-faded">{t.assignments} assigned</span>
            </Link>
          ))}
        </nav>
        {chosen && <Panel key={chosen} code={chosen} />}
      </div>
    </Page>
  );
}

function Panel({ code }: { code: string }) {
  const [all, setAll] = useState(false);
  const t = useQuery({ queryKey: ["template", code], queryFn: () => take(api.GET("/templates/{id}", { params: { path: { id: code } } })) });
  if (t.isPending) return <Loading />;
  if (t.error) return <Wrong error={t.error} />;
  const none = new Set(["no", "none", "0"]);
  const rows = t.data.permissions?.filter((p) => all || (p.decided && !none.has(p.level))) ?? [];
  return (
    <div className="space-y-6">
      <div>
        <h2 className="text-2xl">{t.data.name}</h2>
        <p className="sentence">
          {t.data.summary} Counts during {t.data.hours_words}
          {t.data.base && (
            <>
              , based on{" "}
              <Link to="/templates/$code" params={{ code: t.data.base }} className="text-damson underline underline-offset-2">
                {t.data.base}
              </Link>
            </>
          )}
          .
        </p>
      </div>
      <Section title={`Gives ${t.data.given} permissions`} note={`${t.data.undecided} not decided`}>
        <label className="mb-2 flex items-center gap-2">
          <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} className="size-4 accent-damson" /> Show what it does not
          give too
        </label>
        <div className="overflow-x-auto">
          <table className="w-full">
            <thead className="text-left text-sm text-faded">
              <tr>
                <th className="py-1 font-[600]">May</th>
                <th className="font-[600]">Level</th>
                <th className="font-[600]">Where it is set</th>
              </tr>
            </thead>
            <tbody>
              {rows.map((p, i) => (
                <Fragment key={p.permission}>
                  {p.group_title !== rows[i - 1]?.group_title && (
                    <tr>
                      <th colSpan={3} scope="colgroup" className="pt-3 text-left text-sm font-[650] text-brass">
                        {p.group_title}
                      </th>
                    </tr>
                  )}
                  <tr className="border-t border-rule">
                    <td className="py-1 pr-3">{p.title}</td>
                    <td className="pr-3 font-[600]">{p.decided ? p.level : <span className="font-normal text-faded">not decided</span>}</td>
                    <td className="text-faded">{p.from}</td>
                  </tr>
                </Fragment>
              ))}
            </tbody>
          </table>
        </div>
      </Section>
    </div>
  );
}
