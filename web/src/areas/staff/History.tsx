import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Mark } from "@/parts/Mark";
import { Section } from "@/parts/Page";
import { counted, moment } from "@/parts/words";

export function History({ number }: { number: string }) {
  const may = useMay();
  const audit = useQuery({
    ...read("/audit", { query: { staff: number, limit: 20 } }),
  });
  const events = useQuery({
    ...read("/events", { query: { staff: number, limit: 8 } }),
    enabled: may("console.read_events"),
  });
  return (
    <div className="grid gap-8 md:grid-cols-2">
      <Section title="Changes" note={audit.data && `${counted(audit.data)} in all`}>
        <ol>
          {audit.data?.items.map((e) => (
            <li key={e.id} className="border-b border-rule py-1.5 last:border-b-0">
              {e.summary}
              {e.reason && <span className="block">“{e.reason}”</span>}
              <span className="block text-sm text-faded">
                {moment(e.at)} · {e.actor}
              </span>
            </li>
          ))}
        </ol>
      </Section>
      {may("console.read_events") && (
        <Section title="At the doors" note={events.data && `${counted(events.data)} in all`}>
          {events.data?.items.length === 0 && <p className="text-faded">Has not been at a door yet.</p>}
          <ol>
            {events.data?.items.map((e) => (
              <li
                key={e.id}
                className="flex items-start justify-between gap-2 border-b border-rule py-1.5 last:border-b-0"
              >
                <span>
                  {e.place.name}
                  <span className="block text-sm text-faded">{moment(e.at)}</span>
                </span>
                {e.outcome === "allow" ? <Mark of="open" /> : <Mark of="shut">{e.reason.replaceAll("_", " ")}</Mark>}
              </li>
            ))}
          </ol>
        </Section>
      )}
    </div>
  );
}
