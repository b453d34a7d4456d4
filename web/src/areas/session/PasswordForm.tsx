import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, Refusal, take } from "@/api/api";
import { touched } from "@/api/read";
import { Button } from "@/parts/Button";
import { TextField } from "@/parts/fields";
import { Wrong } from "@/parts/Wrong";

/** The form that changes one's own password, with the present one. */
export function PasswordForm({ of, first = false, done }: { of: string; first?: boolean; done?: () => void }) {
  const [old, setOld] = useState("");
  const [next, setNext] = useState("");
  const run = useMutation({
    mutationFn: () =>
      take(
        api.POST("/me/password", {
          body: { old_password: old, new_password: next },
          headers: { "Idempotency-Key": "" },
        }),
      ),
    onSuccess: async () => {
      setOld("");
      setNext("");
      await touched("/me/sessions");
      done?.();
    },
  });
  const wrong = run.error instanceof Refusal ? run.error : undefined;
  return (
    <form
      className="space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        run.mutate();
      }}
    >
      {/* for what keeps passwords: whose it is */}
      <input type="text" autoComplete="username" value={of} readOnly hidden />
      <TextField
        label={first ? "First password" : "Present password"}
        type="password"
        autoComplete="current-password"
        required
        value={old}
        onChange={(e) => setOld(e.target.value)}
        error={wrong?.field("old_password")}
      />
      <TextField
        label={first ? "Your own password" : "New password"}
        type="password"
        autoComplete="new-password"
        required
        value={next}
        onChange={(e) => setNext(e.target.value)}
        hint="At least 15 characters; a few unrelated words do well."
        error={wrong?.field("new_password")}
      />
      {!wrong?.problem.errors?.length && <Wrong error={run.error} />}
      {run.isSuccess && !first && (
        <p role="status" className="text-open">
          Changed. All your other sessions and tokens have ended.
        </p>
      )}
      <Button type="submit" look="main" disabled={run.isPending}>
        Keep this password
      </Button>
    </form>
  );
}
