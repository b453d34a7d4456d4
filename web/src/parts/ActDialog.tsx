import { useMutation } from "@tanstack/react-query";
import { Lock } from "lucide-react";
import { useState } from "react";
import { type ChangeResult, change, type Operation } from "@/api/api";
import { useMay } from "@/areas/session/session";
import { Ask } from "./Ask";
import type { Act, Pending, Whom } from "./acts";
import { Button } from "./Button";
import { Combobox } from "./Combobox";
import { useApplied } from "./change";
import { placeOptions, useHomeZone, usePlaces } from "./choices";
import { DateField } from "./DateField";
import { TextField } from "./fields";
import { Handed } from "./secrets";
import { Wrong } from "./Wrong";
import { isElsewhere, zoneName } from "./words";

const wording: Record<
  Act,
  {
    title: (n: string) => string;
    about: string;
    button: string;
    reason: "needed" | "optional" | "none";
    usual: string[];
  }
> = {
  lock: {
    title: (n) => `Lock ${n}`,
    about: "Every door and terminal refuses from the moment this is done, until somebody unlocks.",
    button: "Lock now",
    reason: "needed",
    usual: ["Badge or PIN in other hands", "Did not come to work", "Incident on the floor"],
  },
  unlock: {
    title: (n) => `Unlock ${n}`,
    about: "What was given before counts again at once.",
    button: "Unlock",
    reason: "optional",
    usual: ["Cause settled"],
  },
  bar: {
    title: (n) => `Bar ${n} from a place`,
    about:
      "Every door and terminal there refuses from the moment this is done, until the bar ends or is lifted. Elsewhere nothing changes.",
    button: "Bar now",
    reason: "needed",
    usual: ["Incident on the floor", "Not fit to work today"],
  },
  pin: {
    title: (n) => `New PIN for ${n}`,
    about: "The PIN there is now stops counting. The new one is shown once.",
    button: "Issue a PIN",
    reason: "none",
    usual: [],
  },
  leave: {
    title: (n) => `Record the leaving of ${n}`,
    about: "Access ends at once, or after the last day. The record and its history stay.",
    button: "Record the leaving",
    reason: "needed",
    usual: ["End of season", "End of contract", "Gave notice"],
  },
  reinstate: {
    title: (n) => `Reinstate ${n}`,
    about: "The leaving is taken back, also a planned one.",
    button: "Reinstate",
    reason: "optional",
    usual: [],
  },
  activate: {
    title: (n) => `Activate ${n} now`,
    about: "What was to begin on the start date begins now. What begins on another day keeps it.",
    button: "Activate",
    reason: "optional",
    usual: [],
  },
  password: {
    title: (n) => `First password for ${n}`,
    about:
      "For signing in to this console. It is shown once and has to be changed at the first sign-in. Before the start date it does not work yet; its hours begin then.",
    button: "Issue a password",
    reason: "none",
    usual: [],
  },
};

function operation(act: Act, whom: Whom, lastDay: string, bar: { place: string; until: string }): Operation {
  if (act === "bar") return { op: "bar.add", set: { staff: whom.staff_number, ...bar } };
  if (act === "pin") return { op: "pin.set", set: { staff: whom.staff_number } };
  if (act === "password") return { op: "password.issue", set: { staff: whom.staff_number } };
  return {
    op: `staff.${act}`,
    on: whom.staff_number,
    ...(act === "lock" && bar.until ? { set: { until: bar.until } } : {}),
    ...(act === "leave" && lastDay ? { set: leaving(lastDay) } : {}),
  };
}

/** When access ends: after a day, or at the time that is typed beside it. */
const leaving = (typed: string) => (typed.includes("T") ? { at: typed } : { on: typed });

export function ActDialog({ act, whom, close }: Pending & { close: () => void }) {
  const words = wording[act];
  const [reason, setReason] = useState("");
  const [lastDay, setLastDay] = useState("");
  const [done, setDone] = useState<ChangeResult>();
  const applied = useApplied();
  const may = useMay();
  const places = usePlaces(act === "bar");
  const barrable = places.data?.filter((p) => may("console.lock", p.site));
  const [where, setWhere] = useState("");
  const [until, setUntil] = useState("");
  const home = useHomeZone(act === "lock" || act === "leave" ? whom.staff_number : "");
  const run = useMutation({
    mutationFn: () => change([operation(act, whom, lastDay, { place: where, until })], reason),
    onSuccess: (result) => {
      if (words.reason === "none") return setDone(result); // something generated, on show until it is put away
      applied(result);
      close();
    },
  });
  return (
    <Ask
      open
      fixed={!!done}
      onOpenChange={(open) => !open && close()}
      title={words.title(whom.name)}
      about={words.about}
    >
      {done ? (
        <Handed secrets={done.secrets} close={close} />
      ) : (
        <form
          className="space-y-4"
          onSubmit={(e) => {
            e.preventDefault();
            run.mutate();
          }}
        >
          {act === "bar" && (
            <div className="grid grid-cols-2 gap-3">
              <Combobox
                label="Place, with all in it"
                required
                value={where}
                onChange={(e) => setWhere(e.target.value)}
                placeholder="Choose a place"
                options={placeOptions(barrable)}
              />
              <DateField
                label="Until"
                optional
                type="datetime-local"
                zone={places.data?.find((p) => p.code === where)?.time_zone}
                value={until}
                onChange={(e) => setUntil(e.target.value)}
                hint="Left empty: until it is lifted."
              />
            </div>
          )}
          {act === "leave" && (
            <div className="grid grid-cols-2 gap-3">
              <DateField
                label="Last day that counts"
                optional
                type="date"
                value={lastDay.slice(0, 10)}
                onChange={(e) => setLastDay(e.target.value)}
                hint="Left empty: access ends at once."
              />
              <TextField
                label="Until this time"
                optional
                type="time"
                disabled={!lastDay}
                value={lastDay.slice(11)}
                onChange={(e) => setLastDay(lastDay.slice(0, 10) + (e.target.value ? `T${e.target.value}` : ""))}
                hint={`${isElsewhere(home) ? `In ${zoneName(home)}. ` : ""}Left empty: to the end of that day.`}
              />
            </div>
          )}
          {words.reason !== "none" && (
            <div>
              <TextField
                label="Why"
                autoFocus
                required={words.reason === "needed"}
                optional={words.reason === "optional"}
                maxLength={500}
                value={reason}
                onChange={(e) => setReason(e.target.value)}
              />
              {words.usual.length > 0 && (
                <div className="mt-2 flex flex-wrap gap-1.5">
                  {words.usual.map((u) => (
                    <button
                      key={u}
                      type="button"
                      onClick={() => setReason(u)}
                      className="rounded-sm border border-rule bg-inset px-2 py-1 text-sm hover:border-edge"
                    >
                      {u}
                    </button>
                  ))}
                </div>
              )}
            </div>
          )}
          {act === "lock" && (
            <DateField
              label="Until"
              optional
              type="datetime-local"
              zone={home}
              value={until}
              onChange={(e) => setUntil(e.target.value)}
              hint="Left empty: until somebody unlocks."
            />
          )}
          <Wrong error={run.error} />
          <div className="flex gap-2">
            <Button
              type="submit"
              look={act === "lock" || act === "bar" || act === "leave" ? "grave" : "main"}
              disabled={run.isPending}
              autoFocus={words.reason === "none"}
            >
              {act === "lock" && <Lock size={16} aria-hidden />}
              {words.button}
            </Button>
            <Button onClick={close}>Cancel</Button>
          </div>
        </form>
      )}
    </Ask>
  );
}
