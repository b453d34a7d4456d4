import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Place, Refusal, type Schema, take } from "@/api/api";
import { read, touched } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { TextField } from "@/parts/fields";
import { Section } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";
import { moment } from "@/parts/words";

/** Door controllers and shared terminals at a place; a tablet is registered by a code that works once. */
export function Terminals({ place }: { place: Place }) {
  const [adding, setAdding] = useState(false);
  const [ending, setEnding] = useState<Schema["Device"]>();
  const devices = useQuery({
    ...read("/devices", { query: { limit: 500 } }),
  });
  const here = devices.data?.items.filter((d) => d.place.code === place.code && !d.retired) ?? [];
  return (
    <Section
      title="Controllers and terminals"
      note={
        <button type="button" className="text-damson underline underline-offset-2" onClick={() => setAdding(true)}>
          Register a tablet
        </button>
      }
    >
      {here.length === 0 && (
        <p className="text-faded">None here. A tablet becomes a shared terminal by a code that is typed on it once.</p>
      )}
      <ul>
        {here.map((d) => (
          <li key={d.id} className="flex items-center justify-between gap-3 border-b border-rule py-1 last:border-b-0">
            <span>
              {d.name}
              <span className="block text-sm text-faded">
                {d.last_asked ? `Asked last ${moment(d.last_asked)}` : "Has never asked"}
              </span>
            </span>
            <Button look="quiet" className="min-h-0 px-1" aria-label={`Retire ${d.name}`} onClick={() => setEnding(d)}>
              Retire
            </Button>
          </li>
        ))}
      </ul>
      {adding && <RegisterDialog place={place} close={() => setAdding(false)} />}
      {ending && (
        <ChangeDialog
          title={`Retire ${ending.name}`}
          about="It asks for nothing more from this moment on. To use it again, register it anew."
          operations={[{ op: "device.retire", on: String(ending.id) }]}
          button="Retire it"
          grave
          close={() => setEnding(undefined)}
        />
      )}
    </Section>
  );
}

function RegisterDialog({ place, close }: { place: Place; close: () => void }) {
  const [name, setName] = useState(`Tablet at ${place.name}`);
  const run = useMutation({
    mutationFn: async () => {
      const made = await take(api.POST("/terminals", { body: { name, place: place.code } }));
      await touched("/devices");
      return made;
    },
  });
  const wrong = run.error instanceof Refusal ? run.error.field("name") : undefined;
  return (
    <Ask
      open
      onOpenChange={close}
      title={`Register a tablet at ${place.name}`}
      about="Staff show a PIN or a badge at it and read what they can do here, now."
    >
      {run.data ? (
        <div className="space-y-4">
          <p>
            Open <b className="select-all">{run.data.address}</b> on the tablet and type this code, once, until{" "}
            {moment(run.data.expires_at)}:
          </p>
          <p data-secret="code" className="text-center text-3xl font-bold tracking-code select-all">
            {run.data.code}
          </p>
          <Button look="main" autoFocus onClick={close}>
            Close
          </Button>
        </div>
      ) : (
        <form
          className="space-y-4"
          onSubmit={(e) => {
            e.preventDefault();
            run.mutate();
          }}
        >
          <TextField
            label="Name"
            required
            maxLength={120}
            value={name}
            error={wrong}
            onChange={(e) => setName(e.target.value)}
          />
          {!wrong && <Wrong error={run.error} />}
          <div className="flex gap-2">
            <Button type="submit" look="main" disabled={run.isPending}>
              Make a code
            </Button>
            <Button onClick={close}>Cancel</Button>
          </div>
        </form>
      )}
    </Ask>
  );
}
