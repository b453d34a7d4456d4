import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, reread, take } from "@/api/api";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { closed } from "@/parts/drafts";
import { PersonField } from "@/parts/PersonField";
import { Wrong } from "@/parts/Wrong";

/** Makes a draft of one's own another manager's. */
export function GiveDialog({ id, close }: { id: string; close: () => void }) {
  const [to, setTo] = useState("");
  const navigate = useNavigate();
  const run = useMutation({
    mutationFn: () => take(api.POST("/drafts/{id}/give", { params: { path: { id } }, body: { to } })),
    onSuccess: async () => {
      close();
      await navigate({ to: "/drafts" });
      closed();
      await reread();
    },
  });
  return (
    <Ask
      open
      onOpenChange={close}
      title="Give the draft to a colleague"
      about="They review it, then plan it or apply it with their own authority. A plan is taken back until they do."
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <PersonField label="Who goes on with it" required value={to} onChosen={setTo} />
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending || !to}>
            Give it
          </Button>
          <Button onClick={close}>Cancel</Button>
        </div>
      </form>
    </Ask>
  );
}
