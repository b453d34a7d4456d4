import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type ChangeResult, Refusal, reread, take } from "@/api/api";
import { read } from "@/api/read";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { useApplied } from "@/parts/change";
import { took } from "@/parts/drafts";
import { Effects, Steps } from "@/parts/effects";
import { Field, SelectField, TextField } from "@/parts/fields";
import { Wrong } from "@/parts/Wrong";
import { howMany } from "@/parts/words";

type Source = { starter: string } | { name: string; text: string };

/** Applies a rulebook: a file, or a set that ships with the service. What it would do is shown first. */
export function ImportDialog({ close }: { close: () => void }) {
  const [source, setSource] = useState<Source>();
  const [reason, setReason] = useState("");
  const notice = useApplied();
  const starters = useQuery({ ...read("/starters") });
  const send = (of: Source, preview: boolean): Promise<ChangeResult> =>
    "starter" in of
      ? take(
          api.POST("/starters/{id}/apply", {
            params: { path: { id: of.starter }, query: { preview } },
            body: reason ? { reason } : {},
          }),
        )
      : take(
          api.POST("/rulebook", {
            params: { query: { preview, ...(reason && { reason }) } },
            body: of.text as unknown as never,
            bodySerializer: (body) => body as unknown as string,
            headers: { "Content-Type": "application/yaml" },
          }),
        );
  const preview = useMutation({ mutationFn: (of: Source) => send(of, true) });
  const apply = useMutation({
    mutationFn: async () => {
      const result = await send(source!, false);
      await reread();
      return result;
    },
    onSuccess: (result) => {
      notice(result);
      close();
    },
  });
  const put = useMutation({
    mutationFn: async () => {
      const text =
        source && "starter" in source
          ? await take(api.GET("/starters/{id}", { params: { path: { id: source.starter } }, parseAs: "text" }))
          : (source?.text ?? "");
      return took(
        await take(
          api.POST("/drafts/{id}/rulebook", {
            params: { path: { id: "open" }, query: reason ? { reason } : {} },
            body: text as unknown as never,
            bodySerializer: (body) => body as unknown as string,
            headers: { "Content-Type": "application/yaml" },
          }),
        ),
      );
    },
    onSuccess: close,
  });
  const choose = (of: Source) => {
    setSource(of);
    preview.mutate(of);
  };
  const result = preview.data;
  const asks = result?.effect.needs_reason;
  return (
    <Ask
      open
      wide
      onOpenChange={close}
      title="Import catalogue and templates"
      about="A YAML rulebook, from a file or from a set that ships with the service. What it does not name is left alone."
    >
      <div className="space-y-4">
        <div className="grid gap-4 sm:grid-cols-2">
          <Field label="A file">
            {(tie) => (
              <input
                {...tie}
                type="file"
                accept=".yaml,.yml,application/yaml"
                className="w-full text-sm file:mr-3 file:rounded-sm file:border file:border-edge file:bg-sheet file:px-3 file:py-1.5"
                onChange={async (e) => {
                  const file = e.target.files?.[0];
                  if (file) choose({ name: file.name, text: await file.text() });
                }}
              />
            )}
          </Field>
          <SelectField
            label="Or a starter set"
            value={source && "starter" in source ? source.starter : ""}
            onChange={(e) => e.target.value && choose({ starter: e.target.value })}
          >
            <option value="">Choose a set</option>
            {starters.data?.items.map((s) => (
              <option key={s.code} value={s.code}>
                {s.name} ({s.permissions} permissions, {s.templates.length} templates)
              </option>
            ))}
          </SelectField>
        </div>
        <Wrong error={apply.error ?? put.error ?? preview.error} />
        {preview.isPending && <p role="status">Comparing with what is live…</p>}
        {result && result.total === 0 && <p className="font-medium">Nothing to do: no change.</p>}
        {result && result.total > 0 && (
          <>
            <Effects effect={result.effect} open />
            <details>
              <summary className="text-damson">{howMany(result.total, "step", "steps")}</summary>
              <div className="max-h-60 overflow-auto">
                <Steps steps={result.steps} total={result.total} />
              </div>
            </details>
            <form
              className="space-y-3"
              onSubmit={(e) => {
                e.preventDefault();
                apply.mutate();
              }}
            >
              <TextField
                label="Why"
                required={asks}
                optional={!asks}
                value={reason}
                error={apply.error instanceof Refusal ? apply.error.field("reason") : undefined}
                onChange={(e) => setReason(e.target.value)}
              />
              <div className="flex flex-wrap gap-2">
                <Button type="submit" look="main" disabled={apply.isPending}>
                  Apply {result.total === 1 ? "this step" : `these ${result.total} steps`}
                </Button>
                <Button disabled={put.isPending} onClick={() => put.mutate()}>
                  Put into the draft
                </Button>
              </div>
            </form>
          </>
        )}
        <Button onClick={close}>{result?.total === 0 ? "Close" : "Cancel"}</Button>
      </div>
    </Ask>
  );
}
