import { useMutation, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useRef, useState } from "react";
import { api, type Schema, take } from "@/api/api";
import { read } from "@/api/read";
import { useMe } from "@/areas/session/session";
import { SettingsTabs } from "@/areas/settings/tabs";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { ChangeDialog } from "@/parts/change";
import { Field, inputLook, TextField } from "@/parts/fields";
import { Listed } from "@/parts/Listed";
import { Mark } from "@/parts/Mark";
import { Page } from "@/parts/Page";
import { PersonField } from "@/parts/PersonField";
import { Wrong } from "@/parts/Wrong";
import { moment } from "@/parts/words";

type Message = Schema["Message"];

/** What the service sends by mail, and how it is worded. */
export function Messages() {
  const me = useMe();
  const list = useQuery({
    ...read("/messages", { query: { limit: 100 } }),
  });
  const [open, setOpen] = useState<Message>();
  const groups: [string, Message[]][] = [
    ["To the people themselves", list.data?.items.filter((m) => !m.to_others) ?? []],
    ["To whoever looks after them", list.data?.items.filter((m) => m.to_others) ?? []],
  ];
  return (
    <Page
      title="Messages by mail"
      lead={`They go to whoever has a work email. ${me.owner ? "You change how they are worded." : "An owner changes how they are worded."}`}
    >
      <SettingsTabs />
      <Listed of={list}>{() => null}</Listed>
      {groups.map(([title, messages]) => (
        <section key={title} className="mb-8">
          <h2 className="mb-1 font-bold">{title}</h2>
          <ul>
            {messages.map((m) => (
              <li key={m.kind} className="flex flex-wrap items-center gap-x-4 gap-y-1 border-t border-rule py-2">
                <span className="w-56 font-semibold">{m.title}</span>
                <span className="min-w-0 grow basis-72">
                  {m.when}
                  <span className="block text-sm text-faded">{m.subject}</span>
                </span>
                {m.edited && <span className="text-sm text-soon">Edited</span>}
                {m.send ? <Mark of="active">Sent</Mark> : <span className="text-sm text-faded">Not sent</span>}
                <Button
                  look="quiet"
                  aria-label={`${me.owner ? "Change" : "Read"}: ${m.title}`}
                  onClick={() => setOpen(m)}
                >
                  {me.owner ? "Change" : "Read"}
                </Button>
              </li>
            ))}
          </ul>
        </section>
      ))}
      {open && <MessageDialog key={open.kind} of={open} close={() => setOpen(undefined)} />}
    </Page>
  );
}

/** Changes one message, beside how it reads to a real person. */
function MessageDialog({ of: m, close }: { of: Message; close: () => void }) {
  const me = useMe();
  const [subject, setSubject] = useState(m.subject);
  const [text, setText] = useState(m.text);
  const [send, setSend] = useState(m.send);
  const [ready, setReady] = useState(false);
  const area = useRef<HTMLTextAreaElement>(null);
  const edited = { ...(subject !== m.subject && { subject }), ...(text !== m.text && { text }) };
  const set = { ...edited, ...(send !== m.send && { send }) };
  if (ready)
    return (
      <ChangeDialog
        title={`Change the message “${m.title}”`}
        about="It counts for whatever is written from now on."
        operations={[{ op: "message.edit", on: m.kind, set }]}
        button="Change the message"
        close={close}
      />
    );
  const insert = (name: string) => {
    const at = area.current?.selectionStart ?? text.length;
    setText(`${text.slice(0, at)}{${name}}${text.slice(area.current?.selectionEnd ?? at)}`);
    area.current?.focus();
  };
  return (
    <Ask open wide onOpenChange={close} title={m.title} about={m.when}>
      <form
        className="grid gap-x-6 gap-y-3 md:grid-cols-2"
        onSubmit={(e) => {
          e.preventDefault();
          setReady(true);
        }}
      >
        <div className="space-y-3">
          <TextField
            label="Subject"
            required
            maxLength={150}
            disabled={!me.owner}
            value={subject}
            onChange={(e) => setSubject(e.target.value)}
          />
          <Field label="Text">
            {(tie) => (
              <textarea
                {...tie}
                ref={area}
                rows={11}
                maxLength={4000}
                disabled={!me.owner}
                value={text}
                onChange={(e) => setText(e.target.value)}
                className={`${inputLook} w-full py-1.5 leading-snug`}
              />
            )}
          </Field>
          <div className="text-sm">
            <p className="text-faded">What is in braces is filled in{me.owner && "; press one to put it in"}:</p>
            <p className="mt-1 flex flex-wrap gap-x-3 gap-y-1">
              {m.placeholders.map((p) => (
                <button
                  key={p.name}
                  type="button"
                  disabled={!me.owner}
                  title={p.says}
                  aria-label={`{${p.name}}: ${p.says}`}
                  onClick={() => insert(p.name)}
                  className="rounded-sm bg-inset px-1 hover:underline disabled:no-underline"
                >
                  {`{${p.name}}`}
                </button>
              ))}
            </p>
          </div>
          {!m.fixed && (
            <label className="flex items-center gap-2">
              <input
                type="checkbox"
                className="size-4 accent-damson"
                disabled={!me.owner}
                checked={send}
                onChange={(e) => setSend(e.target.checked)}
              />
              This message is sent
            </label>
          )}
        </div>
        <Preview kind={m.kind} subject={subject} text={text} />
        <div className="flex flex-wrap gap-2 md:col-span-2">
          {me.owner && (
            <Button type="submit" look="main" disabled={Object.keys(set).length === 0}>
              Go on
            </Button>
          )}
          <Button onClick={close}>{me.owner ? "Cancel" : "Close"}</Button>
          {me.owner && (subject !== m.first_subject || text !== m.first_text) && (
            <Button
              look="quiet"
              onClick={() => {
                setSubject(m.first_subject);
                setText(m.first_text);
              }}
            >
              Word it as at first
            </Button>
          )}
        </div>
      </form>
    </Ask>
  );
}

function Preview({ kind, subject, text }: { kind: string; subject: string; text: string }) {
  const me = useMe();
  const [staff, setStaff] = useState(me.staff_number);
  const asked = useDeferredValue(JSON.stringify({ staff, subject, text }));
  const read = useQuery({
    queryKey: ["/messages/{id}/preview", kind, asked],
    queryFn: () =>
      take(api.POST("/messages/{id}/preview", { params: { path: { id: kind } }, body: JSON.parse(asked) })),
    enabled: staff !== "",
    retry: false,
    placeholderData: (before) => before,
  });
  return (
    <div className="space-y-3">
      <PersonField label="How it reads for" value={staff} onChosen={setStaff} />
      <Wrong error={read.error} />
      {read.data && !read.error && (
        <div className="max-h-96 overflow-auto rounded-sm border border-rule bg-paper px-4 py-3">
          <p className="mb-2 border-b border-rule pb-2 font-semibold">{read.data.subject}</p>
          <p className="whitespace-pre-wrap [overflow-wrap:anywhere]">{read.data.text}</p>
        </div>
      )}
    </div>
  );
}

const often: Record<string, string> = { at_once: "at once", daily: "once a day", weekly: "on Mondays", never: "never" };

/** What the reader is told by mail, how often, and about whom. */
export function Choices() {
  const messages = useQuery({
    ...read("/messages", { query: { limit: 100 } }),
  });
  const sites = useQuery({
    ...read("/places", { query: { kind: "site" } }),
  });
  const chosen = useQuery({ ...read("/me/messages") });
  const put = useMutation({
    mutationFn: (body: Schema["MessageChoices"]) => take(api.PUT("/me/messages", { body })),
    onSuccess: () => chosen.refetch(),
  });
  if (!messages.data || !chosen.data) return <Listed of={messages.data ? chosen : messages}>{() => null}</Listed>;
  const { kinds, sites: of } = chosen.data;
  const all = sites.data?.items ?? [];
  return (
    <div className="space-y-3">
      {messages.data.items
        .filter((m) => m.to_others && !m.fixed)
        .map((m) => (
          <label key={m.kind} className="grid grid-cols-[minmax(0,1fr)_9rem] items-center gap-3">
            <span>{m.title}</span>
            <select
              className={inputLook}
              value={kinds[m.kind] ?? "at_once"}
              disabled={put.isPending}
              onChange={(e) => put.mutate({ sites: of ?? [], kinds: { ...kinds, [m.kind]: e.target.value } })}
            >
              {Object.entries(often).map(([key, word]) => (
                <option key={key} value={key}>
                  {word}
                </option>
              ))}
            </select>
          </label>
        ))}
      {all.length > 1 && (
        <fieldset>
          <legend className="mb-1 text-sm font-semibold">About people of</legend>
          {all.map((s) => (
            <label key={s.code} className="flex items-center gap-2">
              <input
                type="checkbox"
                className="size-4 accent-damson"
                disabled={put.isPending}
                checked={!of?.length || of.includes(s.code)}
                onChange={(e) => {
                  const before = of?.length ? of : all.map((a) => a.code);
                  const next = e.target.checked ? [...before, s.code] : before.filter((code) => code !== s.code);
                  if (next.length > 0) put.mutate({ kinds, sites: next.length === all.length ? [] : next });
                }}
              />
              {s.name}
            </label>
          ))}
        </fieldset>
      )}
      <Wrong error={put.error} />
    </div>
  );
}

const stateMark = { sent: "active", waiting: "prepared", failed: "wrong" } as const;

/** The messages to somebody, and what became of each. */
export function MessagesTo({ number }: { number: string }) {
  const list = useQuery({
    ...read("/staff/{id}/messages", { path: { id: number }, query: { limit: 10 } }),
  });
  if (!list.data) return <Listed of={list}>{() => null}</Listed>;
  if (!list.data.items.length) return <p className="text-faded">No message has been written.</p>;
  return (
    <ul>
      {list.data.items.map((m) => (
        <li key={m.id} className="border-b border-rule py-1.5 last:border-b-0">
          <span className="flex items-center justify-between gap-2">
            {m.title}
            <Mark of={stateMark[m.state]}>{m.state}</Mark>
          </span>
          <span className="block text-sm text-faded">
            {moment(m.made_at)}
            {m.problem && `: ${m.problem}`}
          </span>
        </li>
      ))}
    </ul>
  );
}
