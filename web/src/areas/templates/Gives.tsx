import { useEffect, useRef, useState } from "react";
import type { Schema } from "@/api/api";

type Line = Schema["OutlineLine"];

const from: Record<string, string> = { group: "by its group", base: "by the base" };

/** Up to which level those who have a template can give something to others: what they hold, unless it is said. */
export function Gives({
  line,
  edits,
  give,
}: {
  line: Line;
  edits: boolean;
  give: ((word: string | null) => void) | undefined;
}) {
  const said = line.kind === "group" ? line.own_gives : line.gives_from === "held" ? undefined : line.gives;
  if (!edits || !give || line.fixed)
    return (
      <span className={said ? "text-sm font-semibold" : "text-sm text-faded"}>
        {said ?? (line.kind === "group" ? "" : "what they hold")}
      </span>
    );
  const unsaid =
    line.kind === "group"
      ? "not said"
      : line.gives_from === "held"
        ? "what they hold"
        : `${line.gives}, ${from[line.gives_from ?? ""] ?? ""}`;
  if (line.scale?.kind === "limit") return <Amount line={line} unsaid={unsaid} give={give} />;
  return <Choice line={line} unsaid={unsaid} give={give} />;
}

/** What is chosen stands there at once, and stays until the answer says what came of it. */
function Choice({ line, unsaid, give }: { line: Line; unsaid: string; give: (word: string | null) => void }) {
  const [chosen, choose] = useState<string>();
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is read anew takes its place
  useEffect(() => choose(undefined), [line]);
  const most = line.most === undefined ? undefined : Math.max(0, line.words.indexOf(line.most));
  return (
    <select
      tabIndex={-1}
      aria-label={`Up to which level “${line.title}” can be given`}
      value={chosen ?? line.own_gives ?? ""}
      onChange={(e) => {
        choose(e.target.value);
        give(e.target.value || null);
      }}
      className={`h-7 w-36 rounded-sm border border-edge bg-sheet px-1 text-sm ${line.own_gives ? "font-semibold" : "text-faded"}`}
    >
      <option value="">{line.own_gives ? "what they hold" : unsaid}</option>
      {line.words.map((word, i) => (
        <option key={word} value={word} disabled={most !== undefined && i > most}>
          {word}
        </option>
      ))}
    </select>
  );
}

/** Of a limit a number is typed, or full for any. */
function Amount({ line, unsaid, give }: { line: Line; unsaid: string; give: (word: string | null) => void }) {
  const [typed, setTyped] = useState(line.own_gives ?? "");
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (document.activeElement !== input.current) setTyped(line.own_gives ?? "");
  }, [line]);
  const send = () => {
    if (typed.trim() !== (line.own_gives ?? "")) give(typed.trim() || null);
  };
  return (
    <span className="inline-flex items-center gap-1.5">
      <input
        ref={input}
        tabIndex={-1}
        aria-label={`Up to how much of “${line.title}” can be given: a number, or full`}
        placeholder={unsaid}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={send}
        onKeyDown={(e) => {
          if (e.key !== "Enter" && e.key !== "Escape") return;
          if (e.key === "Escape") setTyped(line.own_gives ?? "");
          e.currentTarget.closest("tr")?.focus();
          e.preventDefault();
          e.stopPropagation();
        }}
        className="h-7 w-24 rounded-sm border border-edge bg-sheet px-1.5 text-sm"
      />
      <span className="text-sm text-faded">{line.scale?.unit}</span>
    </span>
  );
}
