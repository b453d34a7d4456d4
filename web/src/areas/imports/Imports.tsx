import { useMutation, useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { FileUp } from "lucide-react";
import { useState } from "react";
import { sendFile } from "@/api/api";
import { read } from "@/api/read";
import { EnrolTabs } from "@/areas/enrol/Enrol";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Page, Section } from "@/parts/Page";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { moment } from "@/parts/words";
import { columnKinds, type Import } from "./queries";

/** Where files of people are sent, and those that were. */
export function Imports() {
  const list = useQuery({
    ...read("/imports", { query: { limit: 50 } }),
  });
  return (
    <Page
      title="Enrol many from a file"
      lead="Records, assignments, PINs and badges in one change. Nothing is written until you have seen every row."
    >
      <EnrolTabs />
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-8 lg:grid-cols-[minmax(0,1fr)_25rem]">
        <div className="space-y-8">
          <Drop />
          <Section title="Your imports">
            <Listed of={list} empty="Nothing yet. Choose a file above, or take the file to start from and fill it in.">
              {(data) => (
                <ul>
                  {data.items.map((i) => (
                    <li key={i.id} className="flex flex-wrap items-center gap-x-4 border-b border-rule py-2">
                      <Link to="/imports/$id" params={{ id: String(i.id) }} className="font-semibold hover:underline">
                        {i.name || `Import ${i.id}`}
                      </Link>
                      <StateMark of={i} />
                      {i.has_pins && <Mark of="prepared">PINs wait</Mark>}
                      <span className="ml-auto text-sm text-faded">{moment(i.created_at)}</span>
                    </li>
                  ))}
                </ul>
              )}
            </Listed>
          </Section>
        </div>
        <Kinds />
      </div>
    </Page>
  );
}

export function StateMark({ of }: { of: Import }) {
  if (of.state === "done") return <Mark of="active">Done</Mark>;
  if (of.state === "running") return <Mark of="prepared">Being brought in</Mark>;
  return of.changes.length > 0 ? <Mark of="stuck">Some rows left</Mark> : <Mark of="prepared">To look at</Mark>;
}

/** Takes a file by choosing or by dropping it. */
function Drop() {
  const navigate = useNavigate();
  const [over, setOver] = useState(false);
  const start = useMutation({
    mutationFn: (file: File) =>
      sendFile<Import>(`/imports?name=${encodeURIComponent(file.name)}`, file, "application/octet-stream"),
    onSuccess: (i) => navigate({ to: "/imports/$id", params: { id: String(i.id) } }),
  });
  return (
    <div>
      <label
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          const file = e.dataTransfer.files[0];
          if (file) start.mutate(file);
        }}
        className={`flex cursor-pointer flex-col items-center gap-2 rounded-md border-2 border-dashed px-6 py-10 text-center focus-within:outline-2 focus-within:outline-damson ${over ? "border-damson bg-inset" : "border-edge bg-sheet"}`}
      >
        <FileUp size={30} className="text-brass" aria-hidden />
        <span className="font-semibold">
          {start.isPending ? "Reading every row…" : "Choose a file, or drop it here"}
        </span>
        <span className="text-sm text-faded">CSV or XLSX, at most 4 MiB and 20,000 rows</span>
        <input
          type="file"
          className="sr-only"
          accept=".csv,.tsv,.txt,.xlsx,text/csv,application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) start.mutate(file);
            e.target.value = "";
          }}
        />
      </label>
      <div className="mt-3">
        <Wrong error={start.error} />
      </div>
    </div>
  );
}

/** The columns that a file may have. */
function Kinds() {
  const kinds = useQuery(columnKinds);
  return (
    <aside className="sheet p-5">
      <h2 className="mb-1">A file to start from</h2>
      <p className="mb-3 text-sm text-faded">
        Your own file does as well: its columns are matched by their names, and you correct what is not.
      </p>
      <div className="mb-4 flex gap-2">
        <TakeAlong
          from="/imports/sample"
          query={{ format: "xlsx" }}
          file="starters.xlsx"
          type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
        >
          XLSX
        </TakeAlong>
        <TakeAlong from="/imports/sample" query={{ format: "csv" }} file="starters.csv" type="text/csv">
          CSV
        </TakeAlong>
      </div>
      <dl className="text-sm">
        {kinds.data?.items.map((k) => (
          <div key={k.name} className="border-t border-rule py-1">
            <dt className="inline font-semibold">{k.title}</dt>
            <dd className="inline text-faded">
              {k.required && <span className="text-soon"> needed</span>} {k.says}
            </dd>
          </div>
        ))}
      </dl>
    </aside>
  );
}
