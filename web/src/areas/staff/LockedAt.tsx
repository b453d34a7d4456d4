import { useQuery } from "@tanstack/react-query";
import { read } from "@/api/read";
import { moment } from "@/parts/words";

/** Which doors and terminals refuse somebody who is locked, and which of them has asked anything since. */
export function LockedAt({ number, since }: { number: string; since: string }) {
  const devices = useQuery({
    ...read("/staff/{id}/devices", { path: { id: number }, query: { limit: 500 } }),
    refetchInterval: 5_000,
  });
  const all = devices.data?.items ?? [];
  if (all.length === 0) return null;
  const asked = all.filter((d) => d.last_asked && d.last_asked >= since).length;
  return (
    <details className="-mt-3 mb-5 px-4">
      <summary className="cursor-pointer">
        Refused at {all.length === 1 ? "the one controller or terminal" : `all ${all.length} controllers and terminals`}{" "}
        where they are assigned; {asked} {asked === 1 ? "has" : "have"} asked something since.
      </summary>
      <p className="sentence mt-1 text-sm text-faded">
        A door keeps no list of people: it asks each time. One that has not asked since may have had no visitor, or be
        cut off; then it lets nobody in.
      </p>
      <ul className="mt-1">
        {all.map((d) => (
          <li key={d.id} className="flex flex-wrap justify-between gap-x-4 border-b border-rule py-1 last:border-b-0">
            <span>
              {d.name}, {d.place.name}
            </span>
            <span className="text-faded">
              {d.last_asked ? `asked last ${moment(d.last_asked)}` : "has never asked"}
            </span>
          </li>
        ))}
      </ul>
    </details>
  );
}
