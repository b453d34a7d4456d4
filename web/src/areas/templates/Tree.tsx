import { ChevronDown, ChevronRight, RotateCcw } from "lucide-react";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import type { Schema } from "@/api/api";
import { howMany } from "@/parts/words";
import { Gives } from "./Gives";

type Line = Schema["OutlineLine"];
type Settings = Record<string, string | null>;

const origins: Record<string, string> = {
  own: "set here",
  group: "flows from",
  base: "from",
  open: "not given",
  undecided: "not decided yet",
};

/** The words of a line up to which the manager may set it; undefined where any. */
function reach(line: Line): number | undefined {
  if (line.fixed) return -1;
  return line.most === undefined ? undefined : Math.max(0, line.words.indexOf(line.most));
}

/** The tree of a template, or of the templates for one permission. Arrows walk it, a digit sets a level, Space chooses rows to be set together, Backspace sets back. */
export function Tree({
  lines,
  edits,
  decide,
  give,
  heading = "May",
}: {
  lines: Line[];
  edits: boolean;
  decide: (settings: Settings) => void;
  /** Says up to which level something can be given; left out where that is not shown. */
  give?: (settings: Settings) => void;
  heading?: string;
}) {
  const [shut, setShut] = useState<ReadonlySet<string>>(new Set());
  const [active, setActive] = useState<string>();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const table = useRef<HTMLTableElement>(null);
  const shown = useMemo(() => {
    const list: Line[] = [];
    let below = Number.POSITIVE_INFINITY; // the depth of the closed group that hides what follows
    for (const line of lines) {
      if (line.depth > below) continue;
      below = shut.has(line.key) ? line.depth : Number.POSITIVE_INFINITY;
      list.push(line);
    }
    return list;
  }, [lines, shut]);
  const at = Math.max(
    0,
    shown.findIndex((l) => l.key === active),
  );
  const row = (key: string | undefined) => table.current?.querySelector<HTMLElement>(`[data-key="${key}"]`);

  const open = (key: string, isOpen: boolean) => {
    const next = new Set(shut);
    if (isOpen) next.delete(key);
    else next.add(key);
    setShut(next);
  };
  const choose = (key: string) => {
    const next = new Set(chosen);
    if (!next.delete(key)) next.add(key);
    setChosen(next);
  };
  // What is set: the row itself, or all chosen rows where it is one of them.
  const set = (line: Line, settle: (l: Line) => string | null | undefined) => {
    const targets = chosen.has(line.key) ? lines.filter((l) => chosen.has(l.key)) : [line];
    const settings: Settings = {};
    for (const l of targets) {
      const word = settle(l);
      if (word !== undefined) settings[l.key] = word;
    }
    if (Object.keys(settings).length) decide(settings);
  };
  const setWord = (line: Line, position: number, word: string) =>
    set(line, (l) => {
      const fits = l.words.includes(word)
        ? word
        : l.scale?.kind === "limit"
          ? position === 0
            ? "0"
            : undefined
          : l.words[position];
      const most = reach(l);
      return fits === undefined || (most !== undefined && l.words.indexOf(fits) > most) ? undefined : fits;
    });
  const setBack = (line: Line) => set(line, (l) => (l.own && !l.fixed ? null : undefined));
  const go = (index: number, extend: boolean) => {
    const line = shown[Math.max(0, Math.min(shown.length - 1, index))];
    if (!line) return;
    setActive(line.key);
    if (extend) setChosen(new Set([...chosen, shown[at]!.key, line.key]));
    row(line.key)?.focus();
  };
  const onKey = (e: KeyboardEvent) => {
    if (e.target instanceof HTMLSelectElement || (e.target instanceof HTMLInputElement && e.target.type !== "checkbox"))
      return;
    const line = shown[at];
    if (!line || e.ctrlKey || e.metaKey || e.altKey) return;
    const digit = /^[0-9]$/.test(e.key) ? Number(e.key) : -1;
    if (e.key === "ArrowDown") go(at + 1, e.shiftKey);
    else if (e.key === "ArrowUp") go(at - 1, e.shiftKey);
    else if (e.key === "Home") go(0, false);
    else if (e.key === "End") go(shown.length - 1, false);
    else if (e.key === "ArrowRight" && line.kind === "group")
      shut.has(line.key) ? open(line.key, true) : go(at + 1, false);
    else if (e.key === "ArrowLeft") {
      if (line.kind === "group" && !shut.has(line.key)) open(line.key, false);
      else if (line.parent)
        go(
          shown.findIndex((l) => l.key === line.parent),
          false,
        );
    } else if (edits && e.key === " ") choose(line.key);
    else if (edits && (e.key === "Backspace" || e.key === "Delete")) setBack(line);
    else if (edits && e.key === "Enter") row(line.key)?.querySelector<HTMLInputElement>("input[type=number]")?.focus();
    else if (edits && digit >= 0 && line.words[digit] !== undefined) setWord(line, digit, line.words[digit]!);
    else if (e.key === "Escape" && chosen.size) setChosen(new Set());
    else return;
    e.preventDefault();
  };

  if (!lines.length)
    return <p className="py-4 text-faded">Nothing in the catalogue fits. Try fewer letters, or another word.</p>;
  return (
    <>
      {edits && <Keys folds={lines.some((l) => l.kind === "group")} chosen={chosen.size} />}
      <div className="sheet overflow-x-auto">
        <table
          ref={table}
          role="treegrid"
          aria-label="What it gives"
          aria-multiselectable={edits}
          className="w-full"
          onKeyDown={onKey}
        >
          <thead className="border-b border-rule bg-inset text-left text-sm text-faded">
            <tr>
              <th className="px-3 py-1 font-semibold">{heading}</th>
              <th className="px-2 font-semibold">Level</th>
              {give && <th className="px-2 font-semibold">Can give</th>}
              <th className="px-2 font-semibold">Where it comes from</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((line, i) => (
              <Row
                key={line.key}
                line={line}
                edits={edits}
                open={!shut.has(line.key)}
                chosen={chosen.has(line.key)}
                reachable={i === at}
                onFold={() => open(line.key, shut.has(line.key))}
                onChoose={() => choose(line.key)}
                onActive={() => setActive(line.key)}
                onWord={(position, word) => setWord(line, position, word)}
                onNumber={(word) => set(line, (l) => (l.scale?.kind === "limit" && !l.fixed ? word : undefined))}
                onBack={() => setBack(line)}
                onGive={give && ((word) => give({ [line.key]: word }))}
              />
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}

/** Which keys do what. */
function Keys({ folds, chosen }: { folds: boolean; chosen: number }) {
  return (
    <p className="mb-2 text-sm text-faded">
      <kbd>↑</kbd> <kbd>↓</kbd> walk ·{" "}
      {folds && (
        <>
          <kbd>←</kbd> <kbd>→</kbd> fold ·{" "}
        </>
      )}
      <kbd>0</kbd> <kbd>1</kbd> <kbd>2</kbd>… set a level, the lowest first · <kbd>Space</kbd> chooses rows to set
      together · <kbd>Backspace</kbd> sets back
      {chosen > 0 && (
        <b className="ml-2 text-damson" role="status">
          {howMany(chosen, "row chosen", "rows chosen")}
        </b>
      )}
    </p>
  );
}

type RowProps = {
  line: Line;
  edits: boolean;
  open: boolean;
  chosen: boolean;
  reachable: boolean;
  onFold: () => void;
  onChoose: () => void;
  onActive: () => void;
  onWord: (position: number, word: string) => void;
  onNumber: (word: string) => void;
  onBack: () => void;
  onGive: ((word: string | null) => void) | undefined;
};

function Row({
  line,
  edits,
  open,
  chosen,
  reachable,
  onFold,
  onChoose,
  onActive,
  onWord,
  onNumber,
  onBack,
  onGive,
}: RowProps) {
  const group = line.kind === "group";
  return (
    <tr
      data-key={line.key}
      aria-level={line.depth + 1}
      aria-selected={chosen}
      {...(group && { "aria-expanded": open })}
      tabIndex={reachable ? 0 : -1}
      onFocus={onActive}
      className={`border-t border-rule first:border-t-0 focus-visible:outline-offset-[-2px] ${chosen ? "bg-damson-wash" : group ? "bg-inset/60" : ""} ${line.drafted ? "shadow-[inset_4px_0_0_var(--color-brass-light)]" : ""}`}
    >
      <td className="py-1 pr-2" style={{ paddingLeft: `${0.6 + line.depth * 1.2}rem` }}>
        <span className="flex items-start gap-1.5">
          {edits && (
            <input
              type="checkbox"
              tabIndex={-1}
              aria-label={`Choose ${line.title}`}
              disabled={line.fixed}
              checked={chosen}
              onChange={onChoose}
              className="mt-1 size-4 accent-damson"
            />
          )}
          {group && (
            <button
              type="button"
              tabIndex={-1}
              aria-label={open ? `Fold ${line.title}` : `Unfold ${line.title}`}
              onClick={onFold}
              className="mt-0.5 text-brass"
            >
              {open ? <ChevronDown size={17} aria-hidden /> : <ChevronRight size={17} aria-hidden />}
            </button>
          )}
          <span className={group ? "font-bold" : ""} title={line.sentence}>
            {line.title}{" "}
            {line.sensitive && line.kind === "permission" && (
              <span className="ml-1 text-sm font-semibold text-soon">sensitive</span>
            )}
            {line.kind === "template" && <span className="ml-1 text-sm text-faded">{line.assigned ?? 0} assigned</span>}
            {group && (
              <span className="ml-1 text-sm font-normal text-faded">
                {line.given ?? 0} of {line.total ?? 0} given
                {line.mixed && ", mixed"}
                {line.differ ? `: ${line.differ} differ` : ""}
                {line.undecided ? <b className="ml-1 text-soon">{line.undecided} undecided</b> : ""}
              </span>
            )}
          </span>
        </span>
      </td>
      <td className="px-2 py-1 whitespace-nowrap">
        <Level line={line} edits={edits} onWord={onWord} onNumber={onNumber} />
      </td>
      {onGive && (
        <td className="px-2 py-1 whitespace-nowrap">
          <Gives line={line} edits={edits} give={onGive} />
        </td>
      )}
      <td className="px-2 py-1 text-sm text-faded">
        <span className="flex items-center justify-between gap-2">
          <span
            className={
              line.origin === "undecided" ? "font-semibold text-soon" : line.own ? "font-semibold text-ink" : ""
            }
          >
            {group
              ? line.own
                ? "set on the group"
                : ""
              : `${origins[line.origin ?? "open"]} ${line.origin_name ?? ""}`}
            {line.why_not && edits && (
              <span className="block font-normal text-faded" title={line.why_not}>
                {line.fixed
                  ? "your own access"
                  : line.most === line.words[0]
                    ? "not yours to give"
                    : `yours to give up to ${line.most}`}
              </span>
            )}
          </span>
          {edits && line.own && !line.fixed && (
            <button
              type="button"
              tabIndex={-1}
              aria-label={`Set ${line.title} back`}
              title="Set back to what flows or comes from the base"
              onClick={onBack}
              className="rounded-sm border border-rule p-1 text-damson hover:bg-damson-wash"
            >
              <RotateCcw size={13} aria-hidden />
            </button>
          )}
        </span>
      </td>
    </tr>
  );
}

function Level({ line, edits, onWord, onNumber }: Pick<RowProps, "line" | "edits" | "onWord" | "onNumber">) {
  const limit = line.scale?.kind === "limit";
  const stands = line.kind === "group" ? line.own : line.origin === "undecided" ? undefined : line.level;
  if (!edits || (limit && line.fixed))
    return <b className="font-semibold">{limit ? `${stands ?? ""} ${line.scale?.unit ?? ""}` : stands}</b>;
  if (limit) return <Number_ key={line.level} line={line} onNumber={onNumber} />;
  const most = reach(line);
  return (
    <span
      role="group"
      aria-label={`Level of ${line.title}`}
      className="inline-flex overflow-hidden rounded-sm border border-edge"
    >
      {line.words.map((word, i) => {
        const beyond = most !== undefined && i > most;
        return (
          <button
            key={word}
            type="button"
            tabIndex={-1}
            aria-pressed={word === stands}
            disabled={beyond}
            title={beyond ? line.why_not : undefined}
            onClick={() => onWord(i, word)}
            className={`border-l border-rule px-2 py-px text-sm first:border-l-0 disabled:cursor-not-allowed disabled:bg-inset disabled:text-faded disabled:line-through ${
              word === stands
                ? i === 0
                  ? "bg-inset font-bold"
                  : "bg-damson font-bold text-sheet"
                : "bg-sheet hover:bg-damson-wash"
            }`}
          >
            {word}
          </button>
        );
      })}
    </span>
  );
}

function Number_({ line, onNumber }: Pick<RowProps, "line" | "onNumber">) {
  const [typed, setTyped] = useState(line.origin === "undecided" ? "" : (line.level ?? ""));
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (document.activeElement !== input.current) setTyped(line.origin === "undecided" ? "" : (line.level ?? ""));
  }, [line]);
  const sent = useRef(typed);
  const send = () => {
    if (typed === "" || typed === line.level || typed === sent.current) return; // leaving the field after Enter sends nothing again
    sent.current = typed;
    onNumber(typed);
  };
  const most = line.most ?? (line.scale?.most ? String(line.scale.most) : undefined);
  return (
    <span className="inline-flex items-center gap-1.5">
      <input
        ref={input}
        type="number"
        min={0}
        max={most}
        tabIndex={-1}
        aria-label={`Limit of ${line.title}, in ${line.scale?.unit}`}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={send}
        onKeyDown={(e) => {
          if (e.key === "Enter" || e.key === "Escape") {
            if (e.key === "Escape") setTyped(line.level ?? "");
            else send();
            e.currentTarget.closest("tr")?.focus();
            e.preventDefault();
            e.stopPropagation();
          }
        }}
        title={line.why_not}
        className="h-7 w-20 rounded-sm border border-edge bg-sheet px-1.5 text-right text-sm"
      />
      <span className="text-sm text-faded">{line.scale?.unit}</span>
    </span>
  );
}
