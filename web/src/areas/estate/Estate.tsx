import { useMutation } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Operation, type Place, Refusal, reread, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { useMay } from "@/areas/session/session";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { ChangeDialog } from "@/parts/change";
import { holdsOthers, permissionOptions, placeOptions, usePermissions, usePlaces } from "@/parts/choices";
import { DateField } from "@/parts/DateField";
import { SearchBox, SelectField, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Empty, Page, Section } from "@/parts/Page";
import { PeopleList } from "@/parts/PeopleList";
import { RequiresField } from "@/parts/qualifications";
import { Timeline } from "@/parts/Timeline";
import { Wrong } from "@/parts/Wrong";
import { howMany, instant, kindWord, proofWord } from "@/parts/words";
import { AssignedHere, LastHere, LocalHere } from "./Here";
import { HoursDialog } from "./HoursDialog";
import { Terminals } from "./Terminals";
import { Branches, PlaceRow, useEstate } from "./Tree";

/** The estate as a tree, and beside it one place: what it is and who can open it. */
export function Estate() {
  const { code } = useParams({ strict: false }) as { code?: string };
  const navigate = useNavigate();
  const may = useMay();
  const [q, setQ] = useState("");
  const [adding, setAdding] = useState(false);
  const [retired, setRetired] = useState(false);
  const estate = useEstate({ code, q, retired });
  const { chosen, fits } = estate;
  return (
    <Page
      title="Estate"
      lead={estate.first.data && howMany(estate.total, "place", "places")}
      acts={
        may("console.edit_places") && (
          <Button onClick={() => setAdding(true)}>
            Add a place{chosen ? ` in ${holdsOthers(chosen.kind) ? chosen.name : chosen.parent?.name}` : ""}
          </Button>
        )
      }
    >
      <Wrong error={estate.error} />
      <Listed of={estate.first} empty="No place is on record yet. Add a site to begin.">
        {() => (
          <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-8 md:grid-cols-[21rem_minmax(0,1fr)]">
            <div className="md:sticky md:top-20">
              <div className="mb-2">
                <SearchBox
                  label="Search places"
                  hint="Part of a name or code"
                  value={q}
                  onChange={(q) => setQ(q ?? "")}
                />
              </div>
              <nav
                aria-label="Places"
                className="sheet max-h-[calc(100dvh-13.5rem)] max-md:max-h-48 overflow-auto py-1"
              >
                {estate.large && !q.trim() ? (
                  <Branches chosen={chosen} retired={retired} />
                ) : (
                  fits.map((p) => (
                    <PlaceRow
                      key={p.code}
                      place={p}
                      here={p.code === chosen?.code}
                      depth={estate.large ? 0 : p.depth}
                    />
                  ))
                )}
                {q.trim() && !estate.wanting && fits.length === 0 && (
                  <p className="px-3 py-2 text-faded">No place has that name or code.</p>
                )}
                {estate.more > 0 && (
                  <p className="px-3 py-2 text-faded">and {estate.more} more. Type more of the name.</p>
                )}
              </nav>
              <label className="mt-2 flex items-center gap-2 text-sm">
                <input
                  type="checkbox"
                  checked={retired}
                  onChange={(e) => setRetired(e.target.checked)}
                  className="size-4 accent-damson"
                />{" "}
                Show what is retired
              </label>
            </div>
            {chosen ? (
              <PlacePanel key={chosen.code} place={chosen} />
            ) : (
              <Empty>
                No place in use has the code {code}. It may be retired: show what is retired, or choose another on the
                left.
              </Empty>
            )}
          </div>
        )}
      </Listed>
      {adding && (
        <AddDialog
          parent={chosen}
          close={() => setAdding(false)}
          made={(made) => navigate({ to: "/estate/$code", params: { code: made } })}
        />
      )}
    </Page>
  );
}

function PlacePanel({ place }: { place: Place }) {
  const may = useMay();
  const [hours, setHours] = useState(false);
  const [retiring, setRetiring] = useState(false);
  const [changing, setChanging] = useState(false);
  const [permission, setPermission] = useState(place.asks ?? "");
  const permissions = usePermissions(place.kind, { exact: true });
  const [at, setAt] = useState("");
  const query = { permission, ...(at && { at: instant(at, place.time_zone) }) };
  const asked = permissions.data?.items.find((p) => p.key === permission);
  return (
    <div className="space-y-7">
      <div className="flex flex-wrap items-start justify-between gap-3">
        <div>
          <h2 className="text-2xl">{place.name}</h2>
          <p className="text-faded">
            {kindWord[place.kind]} {place.code}
            {place.parent && (
              <>
                {" in "}
                <Link
                  to="/estate/$code"
                  params={{ code: place.parent.code }}
                  className="text-damson underline underline-offset-2"
                >
                  {place.parent.name}
                </Link>
              </>
            )}
          </p>
        </div>
        {may("console.edit_places") && place.retired && (
          <Button look="main" onClick={() => setRetiring(true)}>
            Bring it back
          </Button>
        )}
        {may("console.edit_places") && !place.retired && (
          <div className="flex gap-2">
            {holdsOthers(place.kind) && <Button onClick={() => setHours(true)}>Hours</Button>}
            <Button onClick={() => setChanging(true)}>
              {place.kind === "organisation" ? "Change" : "Change or move"}
            </Button>
            {place.kind !== "organisation" && (
              <Button look="grave" onClick={() => setRetiring(true)}>
                Retire
              </Button>
            )}
          </div>
        )}
      </div>
      {place.retired && (
        <p className="font-semibold text-shut">
          It is retired, or something that it stands in is: nobody can do anything here.
        </p>
      )}
      <p className="sentence">
        Open {place.opening_words} ({place.time_zone}).
        {place.proof && ` It asks for ${proofWord[place.proof]}.`}
        {place.proof_outside && ` Outside opening hours it asks for ${proofWord[place.proof_outside]}.`}
        {place.requires.length > 0 &&
          ` Whoever does anything here needs a valid certificate: ${place.requires.map((q) => q.name).join(", ")}.`}
      </p>
      {may("console.view_staff") && <AssignedHere place={place} />}
      {may("console.view_staff") && (
        <Section title={`Who can${asked ? ` ${asked.title[0]!.toLowerCase()}${asked.title.slice(1)}` : ""} here`}>
          <div className="mb-3 grid gap-3 sm:grid-cols-[minmax(0,1fr)_15rem]">
            <Combobox
              label="Permission"
              value={permission}
              onChange={(e) => setPermission(e.target.value)}
              placeholder="Choose a permission"
              options={permissionOptions(permissions.data?.items)}
            />
            <DateField
              label="At a moment"
              optional
              type="datetime-local"
              zone={place.time_zone}
              value={at}
              onChange={(e) => setAt(e.target.value)}
              hint={
                at
                  ? new Date(at) < new Date()
                    ? "From the kept history, hours counted."
                    : "By what is on record now, hours counted."
                  : "Left empty: now, at any hour."
              }
            />
          </div>
          {place.retired && !at && (
            <p className="text-faded">Nobody now. Choose a moment before it was retired to see who could.</p>
          )}
          <PeopleList
            about={JSON.stringify([place.code, query])}
            enabled={permission !== "" && (!place.retired || at !== "")}
            people={(how) => read("/places/{id}/people", { path: { id: place.code }, query: { ...query, ...how } })}
            from={`/places/${encodeURIComponent(place.code)}/people`}
            query={query}
            columns={[
              { title: "As", of: (p) => p.template ?? "–" },
              { title: "Through", of: (p) => p.through },
              ...(place.kind === "door"
                ? [
                    {
                      title: "At the door",
                      of: (p: Schema["PlacePerson"]) =>
                        p.lacks ? <span className="text-soon">lacks {p.lacks}</span> : "opens",
                    },
                  ]
                : []),
            ]}
            scale={asked?.scale}
            empty="Nobody. Assign a template that gives it, here or at a place above."
            said={(n) => howMany(n, "person", "people")}
            className="max-h-[calc(100dvh-27.5rem)] min-h-56"
          />
        </Section>
      )}
      <Timeline facts={(asked) => read("/places/{id}/timeline", { path: { id: place.code }, query: asked })} />
      <LocalHere place={place} />
      {may("console.read_events") && <LastHere place={place} />}
      {may("console.devices") && !place.retired && <Terminals place={place} />}
      {hours && <HoursDialog place={place} close={() => setHours(false)} />}
      {retiring && <RetireDialog place={place} close={() => setRetiring(false)} />}
      {changing && <ChangePlaceDialog place={place} close={() => setChanging(false)} />}
    </div>
  );
}

function RetireDialog({ place, close }: { place: Place; close: () => void }) {
  return (
    <ChangeDialog
      title={`${place.retired ? "Bring back" : "Retire"} ${place.name}`}
      about={
        place.retired
          ? "It, and what is below it and not retired itself, counts again for those who are assigned there."
          : "It, and all below it, is open to nobody from now on. It stays on record and can be brought back."
      }
      operations={[{ op: place.retired ? "place.restore" : "place.retire", on: place.code }]}
      button={place.retired ? "Bring it back" : "Retire the place"}
      grave={!place.retired}
      close={close}
    />
  );
}

/** Renames a place, moves it in the tree, or changes what it asks; who gains and who loses by it is shown first. */
function ChangePlaceDialog({ place, close }: { place: Place; close: () => void }) {
  const first = {
    name: place.name,
    parent: place.parent?.code ?? "",
    proof: place.proof ?? "",
    proof_outside: place.proof_outside ?? "",
    asks: place.asks ?? "",
    requires: place.requires
      .map((q) => q.code)
      .sort()
      .join(","),
  };
  const [form, setForm] = useState(first);
  const [ready, setReady] = useState<Operation[]>();
  const places = usePlaces();
  const permissions = usePermissions(place.kind, { exact: true });
  const changed = Object.fromEntries(
    Object.entries(form)
      .filter(([k, v]) => v !== first[k as keyof typeof first])
      .map(([k, v]) => [k, k === "requires" ? v.split(",").filter(Boolean) : v]),
  );
  const put = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  if (ready) {
    return (
      <ChangeDialog
        title={`Change ${place.name}`}
        about="The position of a place decides who may do what there."
        operations={ready}
        button="Change the place"
        close={close}
      />
    );
  }
  return (
    <Ask
      open
      onOpenChange={close}
      title={`Change ${place.name}`}
      about={`${kindWord[place.kind]} ${place.code}. Its code and its kind stay.`}
    >
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([{ op: "place.edit", on: place.code, set: changed }]);
        }}
      >
        <TextField label="Name" required autoFocus className="col-span-2" value={form.name} onChange={put("name")} />
        {place.kind !== "site" && place.kind !== "organisation" && (
          <Combobox
            label="Stands in"
            required
            className="col-span-2"
            value={form.parent}
            onChange={put("parent")}
            options={placeOptions(
              places.data?.filter((p) => (p.kind === "site" || p.kind === "zone") && p.code !== place.code),
            )}
          />
        )}
        {place.kind === "door" && (
          <SelectField label="Asks to be shown" value={form.proof} onChange={put("proof")}>
            <option value="">Anything</option>
            {Object.entries(proofWord).map(([k, w]) => (
              <option key={k} value={k}>
                {w}
              </option>
            ))}
          </SelectField>
        )}
        {place.kind === "door" && (
          <SelectField label="Outside opening hours" value={form.proof_outside} onChange={put("proof_outside")}>
            <option value="">The same</option>
            {Object.entries(proofWord)
              .filter(([k]) => k !== "badge_or_pin")
              .map(([k, w]) => (
                <option key={k} value={k}>
                  {w}
                </option>
              ))}
          </SelectField>
        )}
        {!holdsOthers(place.kind) && (
          <Combobox
            label="What a request here asks for"
            className="col-span-2"
            value={form.asks}
            onChange={put("asks")}
            placeholder="Nothing in particular"
            options={permissionOptions(permissions.data?.items)}
          />
        )}
        <RequiresField
          value={form.requires.split(",").filter(Boolean)}
          onChange={(codes) => setForm({ ...form, requires: codes.sort().join(",") })}
          hint="Everybody who does anything here, or at a place below, needs these."
        />
        <div className="col-span-2 flex gap-2">
          <Button type="submit" look="main" disabled={!Object.keys(changed).length}>
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}

function AddDialog({ parent, close, made }: { parent?: Place; close: () => void; made: (code: string) => void }) {
  const holder =
    parent && parent.kind !== "organisation"
      ? holdsOthers(parent.kind)
        ? parent.code
        : (parent.parent?.code ?? "")
      : "";
  const [form, setForm] = useState({
    code: holder ? `${holder}-` : "",
    name: "",
    kind: holder ? "door" : "site",
    parent: holder,
    proof: "badge_or_pin",
    asks: "",
    time_zone: "",
  });
  const permissions = usePermissions(form.kind as Place["kind"], { exact: true });
  const run = useMutation({
    mutationFn: async () => {
      const isSite = form.kind === "site";
      const body = {
        code: form.code,
        name: form.name,
        kind: form.kind,
        ...(isSite
          ? { time_zone: form.time_zone || Intl.DateTimeFormat().resolvedOptions().timeZone }
          : { parent: form.parent }),
        ...(form.kind === "door" && { proof: form.proof }),
        ...(form.asks && { asks: form.asks }),
      };
      const answer = await take(api.POST("/places", { body }));
      await reread();
      return answer;
    },
    onSuccess: () => {
      close();
      made(form.code);
    },
  });
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  const set = (name: keyof typeof form) => (e: { target: { value: string } }) =>
    setForm({ ...form, [name]: e.target.value });
  return (
    <Ask
      open
      onOpenChange={close}
      title="Add a place"
      about="Sites stand in the organisation; zones in sites and zones; doors, devices and work centres in sites and zones."
    >
      <form
        className="grid grid-cols-2 gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <SelectField label="Kind" value={form.kind} onChange={set("kind")}>
          {Object.entries(kindWord)
            .filter(([k]) => k !== "organisation")
            .map(([k, w]) => (
              <option key={k} value={k}>
                {w}
              </option>
            ))}
        </SelectField>
        <TextField
          label="Code"
          required
          value={form.code}
          onChange={set("code")}
          error={wrong?.field("code")}
          hint="Short and unique."
        />
        <TextField
          label="Name"
          required
          autoFocus
          className="col-span-2"
          value={form.name}
          onChange={set("name")}
          error={wrong?.field("name")}
        />
        {form.kind === "site" ? (
          <TextField
            label="Time zone"
            value={form.time_zone}
            onChange={set("time_zone")}
            placeholder="Europe/Dublin"
            error={wrong?.field("time_zone")}
          />
        ) : (
          <TextField
            label="Stands in"
            required
            value={form.parent}
            onChange={set("parent")}
            error={wrong?.field("parent")}
            hint="Code of a site or zone."
          />
        )}
        {form.kind === "door" && (
          <SelectField label="Asks to be shown" value={form.proof} onChange={set("proof")}>
            {Object.entries(proofWord).map(([k, w]) => (
              <option key={k} value={k}>
                {w}
              </option>
            ))}
          </SelectField>
        )}
        {!holdsOthers(form.kind as Place["kind"]) && (
          <Combobox
            label="What a request here asks for"
            className="col-span-2"
            value={form.asks}
            onChange={set("asks")}
            error={wrong?.field("asks")}
            placeholder="Nothing in particular"
            options={permissionOptions(permissions.data?.items)}
          />
        )}
        <div className="col-span-2 space-y-3">
          {!wrong?.problem.errors?.length && <Wrong error={run.error} />}
          <div className="flex gap-2">
            <Button type="submit" look="main" disabled={run.isPending}>
              Add the place
            </Button>
            <Button onClick={close}>Cancel</Button>
          </div>
        </div>
      </form>
    </Ask>
  );
}
