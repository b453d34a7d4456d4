import { useMutation } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, type Schema, take } from "@/api/api";
import { touched } from "@/api/read";
import { Button } from "./Button";
import { useZones } from "./choices";
import { Wrong } from "./Wrong";
import { moment } from "./words";

/** Where too many wrong PINs were typed, with the act that ends the pause. */
export function Paused({ paused }: { paused: Schema["Paused"] }) {
  const zones = useZones();
  const { place, staff, until } = paused;
  const clear = useMutation({
    mutationFn: () =>
      staff
        ? take(api.DELETE("/staff/{id}/tries", { params: { path: { id: staff.staff_number } } }))
        : take(api.DELETE("/places/{id}/tries", { params: { path: { id: place.code } } })),
    onSuccess: () => touched("/today", "/staff"),
  });
  return (
    <li className="flex items-start justify-between gap-3 border-b border-rule py-2 last:border-b-0">
      <span>
        {staff ? (
          <Link to="/staff/$number" params={{ number: staff.staff_number }} className="font-semibold hover:underline">
            {staff.name}
          </Link>
        ) : (
          <Link to="/estate/$code" params={{ code: place.code }} className="font-semibold hover:underline">
            {place.name}
          </Link>
        )}{" "}
        <span className="text-faded">
          {staff
            ? `typed too many wrong PINs, or somebody with that badge did: it opens nothing at ${place.name} until ${moment(until, zones(place.code))}`
            : `had too many wrong PINs: none are taken until ${moment(until, zones(place.code))}`}
        </span>
        <Wrong error={clear.error} />
      </span>
      <Button className="shrink-0" onClick={() => clear.mutate()} disabled={clear.isPending}>
        {staff ? "Let it open again" : "Take PINs again"}
      </Button>
    </li>
  );
}
