import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, Refusal, type Schema, take } from "@/api/api";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { permissionOptions, placeOptions, usePermissions, usePlaces, useZones } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { TextField } from "@/parts/fields";
import { Mark } from "@/parts/Mark";
import { Page, Section, Tabs } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { Grounds } from "@/parts/Statement";
import { Wrong } from "@/parts/Wrong";
import { instant, moment } from "@/parts/words";
import { Mend } from "./Mend";
import { Together } from "./Together";

/** The pages that ask what would happen. */
export function CheckTabs() {
  return (
    <Tabs
      label="Asking"
      tabs={[
        { to: "/check", name: "May they?" },
        { to: "/look", name: "Look as somebody" },
      ]}
    />
  );
}

/** May somebody do something, somewhere, at some moment? The answer with its grounds, and what would change it. */
export function CheckPage() {
  const [by, setBy] = useState<"staff" | "pin">("staff");
  const [who, setWho] = useState("");
  const [place, setPlace] = useState("");
  const [permission, setPermission] = useState("");
  const [at, setAt] = useState("");
  const places = usePlaces();
  const here = places.data?.find((p) => p.code === place);
  const permissions = usePermissions(here?.kind, { exact: true });
  const run = useMutation({
    mutationFn: () =>
      take(
        api.POST("/decisions", {
          headers: { "Idempotency-Key": "" },
          body: {
            [by]: who.trim(),
            place,
            ...(permission && { permission }),
            ...(at && { at: instant(at, here?.time_zone) }),
          },
        }),
      ),
  });
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  return (
    <Page title="Check" lead="Ask what a door or terminal would answer. Asking is not an event; nothing opens.">
      <CheckTabs />
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-10 lg:grid-cols-[24rem_minmax(0,1fr)]">
        <form
          className="space-y-4"
          onSubmit={(e) => {
            e.preventDefault();
            run.mutate();
          }}
        >
          <fieldset>
            <legend className="mb-1 text-sm font-semibold">By</legend>
            <div className="flex gap-4">
              {(["staff", "pin"] as const).map((k) => (
                <label key={k} className="flex items-center gap-1.5">
                  <input
                    type="radio"
                    name="by"
                    checked={by === k}
                    onChange={() => {
                      setBy(k);
                      setWho("");
                    }}
                    className="size-4 accent-damson"
                  />
                  {k === "staff" ? "Person" : "PIN"}
                </label>
              ))}
            </div>
          </fieldset>
          {by === "staff" ? (
            <PersonField label="Who" required value={who} onChosen={setWho} error={wrong?.field("staff")} />
          ) : (
            <TextField
              label="PIN"
              required
              type="password"
              inputMode="numeric"
              value={who}
              onChange={(e) => setWho(e.target.value)}
              error={wrong?.field("pin")}
            />
          )}
          <Combobox
            label="Where"
            required
            value={place}
            onChange={(e) => {
              setPlace(e.target.value);
              setPermission("");
            }}
            error={wrong?.field("place")}
            placeholder="Choose a place"
            options={placeOptions(places.data)}
          />
          <Combobox
            label="What"
            value={permission}
            onChange={(e) => setPermission(e.target.value)}
            error={wrong?.field("permission")}
            required={!!here && !here.asks}
            placeholder={here?.asks ? "What the place asks about" : "Choose a permission"}
            options={permissionOptions(permissions.data?.items)}
          />
          <DateField
            label="When"
            optional
            type="datetime-local"
            zone={here?.time_zone}
            value={at}
            onChange={(e) => setAt(e.target.value)}
            error={wrong?.field("at")}
            hint="Left empty: now. Past and future too."
          />
          {!wrong?.problem.errors?.length && <Wrong error={run.error} />}
          <Button type="submit" look="main" disabled={run.isPending}>
            Check
          </Button>
        </form>
        <div aria-live="polite">
          {run.data ? (
            <Answer d={run.data} again={() => run.mutate()} />
          ) : (
            <p className="sentence text-faded">
              The answer stands here: yes or no, what it rests on, and what would change it.
            </p>
          )}
        </div>
      </div>
    </Page>
  );
}

function Answer({ d, again }: { d: Schema["Decision"]; again: () => void }) {
  const zones = useZones();
  const allowed = d.outcome === "allow";
  return (
    <div className={`sheet border-t-4 p-6 ${allowed ? "border-t-open" : "border-t-shut"}`} data-outcome={d.outcome}>
      <Mark of={allowed ? "open" : "shut"} />
      <p className="mt-2 text-2xl leading-snug font-medium text-balance">{d.sentence}</p>
      <p className="mt-1 mb-5 text-sm text-faded">
        {d.staff && `${d.staff.name}, ${d.staff.staff_number} · `}
        {d.permission} at {d.place?.name} · {moment(d.at, zones(d.place?.code))}
        {d.tense === "past" && ", from the kept history"}
        {d.tense === "future" && ", by what is on record now"}
      </p>
      {(d.grounds?.length ?? 0) > 0 && (
        <Section title="What it rests on" className="mb-5">
          <Grounds grounds={d.grounds!} />
        </Section>
      )}
      {d.remedy && (
        <Section title="What would change it">
          {(d.advice?.length ?? 0) > 1 ? (
            <Together d={d} again={again} />
          ) : (
            <>
              <p className="sentence">{d.remedy}</p>
              <Mend d={d} />
            </>
          )}
        </Section>
      )}
    </div>
  );
}
