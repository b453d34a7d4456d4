import { useState } from "react";
import type { Operation, Schema } from "@/api/api";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { Combobox } from "@/parts/Combobox";
import { ChangeDialog } from "@/parts/change";
import { templateOptions } from "@/parts/choices";
import { TextField } from "@/parts/fields";

type Template = Schema["Template"];

/** Turns a name into a code, such as "Tray line" into tray-line. */
const codeOf = (name: string) =>
  name
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "");

/** Makes a template: from nothing, as a copy, or from what a person holds at a place. */
export function MakeDialog({
  templates,
  copyOf = "",
  like,
  close,
  made,
}: {
  templates: Template[];
  copyOf?: string;
  like?: { staff: string; place: string; name: string };
  close: () => void;
  made: (code: string) => void;
}) {
  const [name, setName] = useState("");
  const [code, setCode] = useState<string>();
  const [summary, setSummary] = useState("");
  const [base, setBase] = useState("");
  const [copy, setCopy] = useState(copyOf);
  const [ready, setReady] = useState<Operation[]>();
  const set = {
    code: code ?? codeOf(name),
    name,
    ...(summary && { summary }),
    ...(copy ? { copy_of: copy } : {}),
    ...(base ? { base } : {}),
    ...(like ? { like: { staff: like.staff, place: like.place } } : {}),
  };
  if (ready) {
    return (
      <ChangeDialog
        title={`Make the template ${name}`}
        about="Nobody has it until somebody is assigned it."
        operations={ready}
        button="Make the template"
        close={close}
        done={() => made(set.code)}
      />
    );
  }
  return (
    <Ask
      open
      onOpenChange={close}
      title={like ? `Make a template from ${like.name}` : copyOf ? "Copy a template" : "Make a template"}
      about={
        like
          ? "It gives what this person holds there: based on the nearest of their templates, their exceptions as settings."
          : "A kind of work, with what it may do. Everything can be changed afterwards."
      }
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          setReady([{ op: "template.add", set }]);
        }}
      >
        <TextField
          label="Name"
          required
          autoFocus
          maxLength={120}
          value={name}
          onChange={(e) => setName(e.target.value)}
          placeholder="Tray line operator"
        />
        <TextField
          label="Code"
          required
          value={set.code}
          onChange={(e) => setCode(e.target.value)}
          hint="Short, for lists and files. It stays."
        />
        <TextField label="Who it is for" optional value={summary} onChange={(e) => setSummary(e.target.value)} />
        {!like && (
          <div className="grid grid-cols-2 gap-3">
            <Combobox
              label="Begin as a copy of"
              value={copy}
              onChange={(e) => setCopy(e.target.value)}
              placeholder="Nothing"
              options={templateOptions(templates)}
            />
            <Combobox
              label="Based on"
              value={base}
              onChange={(e) => setBase(e.target.value)}
              hint="Follows that template from now on."
              placeholder={copy ? "As the copied one" : "No other"}
              options={templateOptions(templates)}
            />
          </div>
        )}
        <div className="flex gap-2">
          <Button type="submit" look="main">
            Go on
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
