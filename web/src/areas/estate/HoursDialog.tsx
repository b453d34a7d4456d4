import { useMutation } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useState } from "react";
import { type Operation, type Place, Refusal, type Schema, sendFile } from "@/api/api";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { DateField } from "@/parts/DateField";
import { TextField } from "@/parts/fields";
import { Remove, type Rule, Rules, spelled, whole, written } from "@/parts/rules";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";

type Dated = { name: string; from: string; until: string; rules: Rule[] };

/** Edits when a site or a zone is open: week by week, and on the days that differ. Who gains and loses is shown first. */
export function HoursDialog({ place, close }: { place: Place; close: () => void }) {
  const [own, setOwn] = useState(place.kind === "organisation" || !!place.opening);
  const [rules, setRules] = useState(spelled(place.opening?.rules));
  const [dated, setDated] = useState<Dated[]>(
    (place.opening?.dated ?? []).map((d) => ({ ...d, rules: spelled(d.rules) })),
  );
  const [ready, setReady] = useState<Operation[]>();
  if (ready) {
    return (
      <ChangeDialog
        title={`Hours of ${place.name}`}
        about="People whose hours follow the place gain or lose by this."
        operations={ready}
        button="Change the hours"
        close={close}
      />
    );
  }
  const put = (i: number, next: Partial<Dated>) => setDated(dated.map((d, at) => (at === i ? { ...d, ...next } : d)));
  return (
    <Ask
      open
      wide
      onOpenChange={(open) => !open && close()}
      title={`Hours of ${place.name}`}
      about={`By the clocks of ${place.time_zone}. Hours that pass midnight end before they begin.`}
    >
      <form
        className="space-y-5"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([
            {
              op: "place.edit",
              on: place.code,
              set: {
                opening: own
                  ? { rules: written(rules), dated: dated.map((d) => ({ ...d, rules: written(d.rules) })) }
                  : null,
              },
            },
          ]);
        }}
      >
        {place.kind === "zone" && (
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-damson"
              checked={own}
              onChange={(e) => setOwn(e.target.checked)}
            />
            Hours of its own; else those of the place above count
          </label>
        )}
        {own && (
          <>
            <fieldset>
              <legend className="mb-1 text-sm font-semibold">Each week</legend>
              {rules.length === 0 && <p className="mb-1 text-faded">It never closes, but on the days below.</p>}
              <Rules rules={rules} onChange={setRules} label="Weekly hours" />
            </fieldset>
            <fieldset>
              <legend className="mb-1 text-sm font-semibold">Days that differ: holidays, closures, seasons</legend>
              <ul className="space-y-3">
                {dated.map((d, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: rows have no name of their own until they are kept
                  <li key={i} className="rounded-sm border border-rule p-2">
                    <div className="grid grid-cols-[2fr_minmax(0,1fr)_minmax(0,1fr)_auto] items-end gap-2">
                      <TextField
                        label="Name"
                        required
                        maxLength={120}
                        value={d.name}
                        onChange={(e) => put(i, { name: e.target.value })}
                      />
                      <DateField
                        label="First day"
                        type="date"
                        required
                        value={d.from}
                        onChange={(e) => put(i, { from: e.target.value, ...(!d.until && { until: e.target.value }) })}
                      />
                      <DateField
                        label="Last day"
                        type="date"
                        required
                        min={d.from}
                        value={d.until}
                        onChange={(e) => put(i, { until: e.target.value })}
                      />
                      <Remove
                        what={d.name || "these days"}
                        onClick={() => setDated(dated.filter((_, at) => at !== i))}
                      />
                    </div>
                    <div className="mt-2">
                      {d.rules.length === 0 && <span className="mr-3 font-semibold text-shut">Closed</span>}
                      <Rules rules={d.rules} onChange={(r) => put(i, { rules: r })} label={`Hours of ${d.name}`} />
                    </div>
                  </li>
                ))}
              </ul>
              <Button
                className="mt-2"
                onClick={() => setDated([...dated, { name: "", from: "", until: "", rules: [] }])}
              >
                <Plus size={16} aria-hidden /> Days that differ
              </Button>
            </fieldset>
            <Import place={place} close={close} />
          </>
        )}
        <div className="flex flex-wrap gap-2">
          <Button
            type="submit"
            look="main"
            disabled={own && (!whole(rules) || dated.some((d) => !whole(d.rules) || !d.from || !d.until))}
          >
            See who gains and loses
          </Button>
          <Button onClick={close}>Cancel</Button>
          <TakeAlong
            className="ml-auto"
            from={`/places/${place.code}/calendar`}
            file={`${place.code}.ics`}
            type="text/calendar"
          >
            Take along as iCalendar
          </TakeAlong>
        </div>
      </form>
    </Ask>
  );
}

function Import({ place, close }: { place: Place; close: () => void }) {
  const [file, setFile] = useState<File>();
  const [mode, setMode] = useState<"add" | "replace">("add");
  const [reason, setReason] = useState("");
  const [effect, setEffect] = useState<Schema["Effect"]>();
  const send = useMutation({
    mutationFn: async (preview: boolean) => {
      const result = await sendFile(
        `/places/${place.code}/calendar?mode=${mode}&preview=${preview}${reason ? `&reason=${encodeURIComponent(reason)}` : ""}`,
        file!,
        "text/calendar",
      );
      if (preview) setEffect(result.effect);
      else close();
    },
  });
  return (
    <details className="rounded-sm border border-rule p-2">
      <summary className="cursor-pointer font-semibold">From an iCalendar file</summary>
      <div className="mt-2 space-y-3">
        <TextField
          label="File"
          type="file"
          accept=".ics,text/calendar"
          onChange={(e) => {
            setFile(e.target.files?.[0]);
            setEffect(undefined);
          }}
        />
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-damson"
            checked={mode === "replace"}
            onChange={(e) => {
              setMode(e.target.checked ? "replace" : "add");
              setEffect(undefined);
            }}
          />
          In place of all that there is; else its days are added, such as public holidays
        </label>
        <Wrong error={send.error instanceof Refusal ? send.error : undefined} />
        {effect === undefined ? (
          <Button disabled={!file || send.isPending} onClick={() => send.mutate(true)}>
            See what the file changes
          </Button>
        ) : (
          <div className="space-y-2">
            <p className="sentence">{effect.summary}</p>
            <TextField
              label="Why"
              required={effect.needs_reason}
              optional={!effect.needs_reason}
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
            <Button
              look="main"
              disabled={send.isPending || (effect.needs_reason && !reason.trim())}
              onClick={() => send.mutate(false)}
            >
              Take the file
            </Button>
          </div>
        )}
      </div>
    </details>
  );
}
