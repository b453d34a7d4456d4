import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { read } from "@/api/read";
import { useMe } from "@/areas/session/session";
import { Listed } from "@/parts/Listed";
import { Empty, Page } from "@/parts/Page";
import { Print } from "@/parts/Print";
import { howMany } from "@/parts/words";
import { RuleTabs } from "./tabs";

/** All templates in sentences, to be printed and agreed on with the heads of department. */
export function SheetPage() {
  const me = useMe();
  const [only, setOnly] = useState<ReadonlySet<string>>();
  const sheets = useQuery({ ...read("/sheet") });
  const shown = sheets.data?.items.filter((s) => !only || only.has(s.code)) ?? [];
  return (
    <Page
      title="Templates to agree on"
      lead={`${me.organisation}, ${new Date().toLocaleDateString("en-IE", { day: "numeric", month: "long", year: "numeric" })}`}
      acts={
        <span className="print:hidden">
          <Print look="main" />
        </span>
      }
    >
      <RuleTabs />
      <Listed of={sheets}>{() => null}</Listed>
      {sheets.data?.total === 0 && <Empty>No template yet, so there is nothing to agree on.</Empty>}
      <fieldset className="mb-6 flex flex-wrap gap-x-4 gap-y-1 print:hidden">
        <legend className="mb-1 text-sm font-semibold">On the sheet</legend>
        {sheets.data?.items.map((s) => (
          <label key={s.code} className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="size-4 accent-damson"
              checked={!only || only.has(s.code)}
              onChange={() => {
                const next = new Set(only ?? sheets.data.items.map((all) => all.code));
                if (!next.delete(s.code)) next.add(s.code);
                setOnly(next);
              }}
            />
            {s.name}
          </label>
        ))}
      </fieldset>
      <div className="space-y-8">
        {shown.map((s) => (
          <article key={s.code} className="break-inside-avoid border-t-2 border-brass-light pt-3">
            <h2 className="text-xl">{s.name}</h2>
            <p className="sentence">{s.summary || "For whom: not said yet."}</p>
            <p className="text-faded">
              {howMany(s.people, "person has it", "people have it")}
              {s.sites.length > 0 && `, at ${s.sites.join(", ")}`}
              {s.based_on && `. Based on ${s.based_on}`}. {s.facts.join(". ")}.
            </p>
            <div className="mt-2 gap-x-8 sm:columns-2">
              {s.sections.map((g) => (
                <div key={g.group} className="mb-3 break-inside-avoid">
                  <h3 className="text-sm font-bold text-brass">{g.group}</h3>
                  <ul className="list-disc pl-5">
                    {g.lines.map((l) => (
                      <li key={l}>{l}</li>
                    ))}
                  </ul>
                </div>
              ))}
            </div>
            {s.undecided.length > 0 && (
              <p className="font-semibold text-soon">Not decided yet: {s.undecided.join(", ")}.</p>
            )}
            <p className="mt-3 hidden border-t border-rule pt-6 text-sm text-faded print:block">
              Agreed: ______________________ Date: ______________
            </p>
          </article>
        ))}
      </div>
    </Page>
  );
}
