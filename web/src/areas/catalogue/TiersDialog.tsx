import { keepPreviousData, useMutation, useQuery } from "@tanstack/react-query";
import type { Operation, Schema } from "@/api/api";
import { read } from "@/api/read";
import { useMe } from "@/areas/session/session";
import { Tree } from "@/areas/templates/Tree";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { collect } from "@/parts/drafts";
import { Listed } from "@/parts/Listed";
import { Wrong } from "@/parts/Wrong";

/** One permission in every template: what each says of it, decided in one place. Edits go into the draft. */
export function TiersDialog({
  permission,
  people,
  close,
}: {
  permission: Schema["Permission"];
  people?: () => void;
  close: () => void;
}) {
  const me = useMe();
  const edits = (me.everywhere.includes("console.edit_templates") || !!me.owner) && !permission.retired;
  const tiers = useQuery({
    ...read("/permissions/{id}/templates", { path: { id: permission.key }, query: { draft: "open" } }),
    placeholderData: keepPreviousData,
  });
  const put = useMutation({ mutationFn: (operations: Operation[]) => collect(operations) });
  const decide = (settings: Record<string, string | null>) =>
    put.mutate(
      Object.entries(settings).map(([code, word]) => ({
        op: "template.edit",
        on: code,
        set: { decide: { [permission.key]: word } },
      })),
    );
  const lines = tiers.data?.items ?? [];
  const waiting = new Set(lines.filter((l) => l.origin === "undecided" && !l.fixed).map((l) => l.key));
  const rest = () => {
    const settings: Record<string, string> = {};
    for (const l of lines) if (waiting.has(l.key) && !waiting.has(l.parent ?? "")) settings[l.key] = l.words[0]!; // what is based on one follows it
    decide(settings);
  };
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title={`“${permission.title}” in the templates`}
      about={`${permission.sentence} ${edits ? "Edits are collected in your draft." : ""}`}
    >
      <Wrong error={put.error} />
      <Listed of={tiers}>
        {() => (
          <div className="mb-4 max-h-[60vh] overflow-auto">
            <Tree lines={lines} edits={edits} decide={decide} heading="Template" />
          </div>
        )}
      </Listed>
      <div className="flex flex-wrap items-center gap-2">
        {edits && waiting.size > 0 && (
          <Button onClick={rest} disabled={put.isPending}>
            Not given in {waiting.size === 1 ? "the 1 that is undecided" : `the ${waiting.size} that are undecided`}
          </Button>
        )}
        {people && <Button onClick={people}>Who has it</Button>}
        <Button look={put.isSuccess ? "main" : "plain"} onClick={close}>
          {put.isSuccess ? "Done" : "Close"}
        </Button>
      </div>
    </Ask>
  );
}
