import type { Schema } from "@/api/api";
import { Button } from "@/parts/Button";
import { howMany, kindWord } from "@/parts/words";

type Permission = Schema["Permission"];
type Group = Schema["Group"];

/** A group of the catalogue, as a row above what is in it. */
export function GroupRow({
  of: g,
  edits,
  change,
  retire,
}: {
  of: Group;
  edits: boolean;
  change: () => void;
  retire: () => void;
}) {
  return (
    <tr className="border-t border-rule bg-inset/60">
      <th
        colSpan={4}
        scope="rowgroup"
        className="py-1 text-left font-bold"
        style={{ paddingLeft: `${0.75 + g.depth * 1.2}rem` }}
      >
        {g.title} <span className="text-sm font-normal text-faded">{g.key}</span>
        {g.retired && <b className="ml-2 text-sm text-shut">retired</b>}
      </th>
      <td className="pr-2 text-right whitespace-nowrap">
        {edits && !g.console && (
          <>
            <Button
              look="quiet"
              className="min-h-0 px-1 text-sm"
              aria-label={`Change the group ${g.title}`}
              onClick={() => change()}
            >
              Change
            </Button>
            <Button
              look="quiet"
              className="min-h-0 px-1 text-sm"
              aria-label={`${g.retired ? "Bring back" : "Retire"} the group ${g.title}`}
              onClick={() => retire()}
            >
              {g.retired ? "Bring back" : "Retire"}
            </Button>
          </>
        )}
      </td>
    </tr>
  );
}

/** One permission: what it lets do, on which scale, where it applies, and who gives it. */
export function PermissionRow({
  of: p,
  depth,
  edits,
  sees,
  change,
  retire,
  templates,
  holders,
}: {
  of: Permission;
  depth: number;
  edits: boolean;
  sees: boolean;
  change: () => void;
  retire: () => void;
  templates: () => void;
  holders: () => void;
}) {
  return (
    <tr className={`border-t border-rule ${p.retired ? "text-faded" : ""}`}>
      <td className="py-1 pr-2" style={{ paddingLeft: `${0.75 + (depth) * 1.2}rem` }}>
        {p.title} <span className="text-sm text-faded">{p.key}</span>
        {p.sensitive && <b className="ml-2 text-sm font-semibold text-soon">sensitive</b>}
        {p.retired && <b className="ml-2 text-sm text-shut">retired</b>}
        <span className="block text-sm text-faded">{p.sentence}</span>
      </td>
      <td className="px-2 py-1 text-dense">
        {scaleWords(p.scale)}
        {p.reach && <span className="block text-sm text-faded">says whose records</span>}
      </td>
      <td className="px-2 py-1 text-dense">
        {p.kinds.length >= 5 ? "Any place" : p.kinds.map((k) => kindWord[k]).join(", ")}
      </td>
      <td className="px-2 py-1 text-dense whitespace-nowrap">
        <button
          type="button"
          className="text-left text-damson underline underline-offset-2"
          onClick={() => templates()}
        >
          {howMany(p.given, "template", "templates")}
          {p.undecided > 0 && <b className="block text-sm text-soon">undecided in {p.undecided}</b>}
          <span className="sr-only">: {p.title}</span>
        </button>
      </td>
      <td className="py-1 pr-2 text-right whitespace-nowrap">
        {sees && (
          <Button
            look="quiet"
            className="min-h-0 px-1 text-sm"
            aria-label={`Who has it: ${p.title}`}
            onClick={() => holders()}
          >
            Who has it
          </Button>
        )}
        {edits && (
          <>
            <Button
              look="quiet"
              className="min-h-0 px-1 text-sm"
              aria-label={`Change ${p.title}`}
              onClick={() => change()}
            >
              Change
            </Button>
            {!p.console && (
              <Button
                look="quiet"
                className="min-h-0 px-1 text-sm"
                aria-label={`${p.retired ? "Bring back" : "Retire"} ${p.title}`}
                onClick={() => retire()}
              >
                {p.retired ? "Bring back" : "Retire"}
              </Button>
            )}
          </>
        )}
      </td>
    </tr>
  );
}

function scaleWords(s: Schema["Scale"]): string {
  if (s.kind === "levels") return s.levels!.join(" < ");
  if (s.kind === "limit") return `limit in ${s.unit}${s.most ? `, at most ${s.most}` : ""}`;
  return "yes or no";
}
