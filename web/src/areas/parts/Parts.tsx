import { useState } from "react";
import { Refusal } from "@/api/api";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { DateField } from "@/parts/DateField";
import { Choice, SearchBox, SelectField, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Empty, Page, Section } from "@/parts/Page";
import { Print } from "@/parts/Print";
import { TakeAlong } from "@/parts/TakeAlong";
import { Wrong } from "@/parts/Wrong";
import { day, engagementWord, moment } from "@/parts/words";

/** Every part that pages are made of, in each of its looks and states: for whoever works on the console. */
export function Parts() {
  const [asking, setAsking] = useState(false);
  return (
    <Page
      title="Parts"
      lead="What pages are made of. A page has one of each, and nothing else that does the same."
      acts={
        <>
          <TakeAlong from="/staff" query={{ limit: 5 }} file="sample.csv" />
          <Print />
          <Button look="main" onClick={() => setAsking(true)}>
            Show a sample dialog
          </Button>
        </>
      }
    >
      <div className="grid gap-x-8 gap-y-7 md:grid-cols-2">
        <Buttons />
        <Marks />
        <Fields />
        <Lists />
        <Section title="Dates and times" note="The place's, where it is elsewhere">
          <p>
            A day: {day("2031-02-03")}. A moment here: {moment("2031-02-03T09:15:00Z")}. A moment elsewhere:{" "}
            {moment("2031-02-03T09:15:00Z", "Asia/Tokyo")}.
          </p>
        </Section>
      </div>
      {asking && <Sample close={() => setAsking(false)} />}
    </Page>
  );
}

function Buttons() {
  return (
    <Section title="Buttons" note="The final verb first, Cancel last">
      <div className="flex flex-wrap gap-2">
        <Button look="main">Assign the template</Button>
        <Button look="grave">Lock now</Button>
        <Button>Change</Button>
        <Button look="quiet">Show all</Button>
        <Button disabled>Unavailable</Button>
        <Button>Cancel</Button>
      </div>
    </Section>
  );
}

function Marks() {
  return (
    <Section title="Marks" note="A sign, a word and a colour">
      <div className="flex flex-wrap gap-2">
        {(["active", "prepared", "left", "locked", "stuck", "wrong", "open", "shut"] as const).map((of) => (
          <Mark key={of} of={of} />
        ))}
      </div>
    </Section>
  );
}

function Fields() {
  const [text, setText] = useState("");
  const [on, setOn] = useState("2031-02-03");
  const [chosen, setChosen] = useState("");
  const [words, setWords] = useState<string>();
  return (
    <Section title="Fields" note="A label, what to know, what is wrong">
      <div className="grid gap-3 sm:grid-cols-2">
        <TextField
          label="Text"
          hint="What helps to fill it in."
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <TextField label="Text that is wrong" error="It names the fix." defaultValue="wrong" />
        <DateField label="Day" type="date" value={on} onChange={(e) => setOn(e.target.value)} />
        <DateField
          label="Moment elsewhere"
          optional
          type="datetime-local"
          zone="Asia/Tokyo"
          value=""
          onChange={() => undefined}
        />
        <SelectField label="One of a few" defaultValue="">
          <option value="">Not said</option>
          {Object.entries(engagementWord).map(([key, word]) => (
            <option key={key} value={key}>
              {word}
            </option>
          ))}
        </SelectField>
        <Combobox
          label="One of many"
          value={chosen}
          onChange={(e) => setChosen(e.target.value)}
          placeholder="Type some of it"
          options={[
            { value: "a", label: "Packing hall", note: "HB-PACK" },
            { value: "b", label: "Cold store", note: "HB-COLD" },
          ]}
        />
        <SearchBox label="Search a list" hint="Words of it" value={words} onChange={setWords} />
        <Choice label="Narrow a list" value={undefined} onChange={() => undefined}>
          <option value="">All</option>
          <option value="some">Some</option>
        </Choice>
      </div>
    </Section>
  );
}

const refused = new Refusal({ type: "", title: "", status: 409, detail: "Somebody else changed it meanwhile." });
const silent = new Refusal({ type: "", title: "", status: 0, detail: "The service does not answer." });
const read = { data: undefined, error: null, dataUpdatedAt: 0 };

function Lists() {
  return (
    <Section title="Lists and records" note="Each state says which it is">
      <div className="space-y-4">
        <Listed of={{ ...read, data: [] }} empty="Empty, and how to begin.">
          {() => null}
        </Listed>
        <Listed of={{ ...read, error: silent }}>{() => null}</Listed>
        <Listed of={{ ...read, error: refused }}>{() => null}</Listed>
        <Listed
          of={{ ...read, data: ["There in part"], isFetchNextPageError: true }}
          empty="Nothing of this kind is on record."
        >
          {(items) => items.map((one) => <p key={one}>{one}</p>)}
        </Listed>
        <Empty>Nothing fits. Choose less.</Empty>
      </div>
    </Section>
  );
}

function Sample({ close }: { close: () => void }) {
  const [name, setName] = useState("");
  return (
    <Ask open onOpenChange={close} title="A sample dialog" about="It says what it does, and who gains and loses by it.">
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          close();
        }}
      >
        <TextField label="Name" required value={name} onChange={(e) => setName(e.target.value)} />
        <Wrong error={name === "wrong" ? refused : undefined} />
        <div className="flex gap-2">
          <Button type="submit" look="main">
            Close the sample
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
