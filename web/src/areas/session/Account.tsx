import { useMutation, useQuery } from "@tanstack/react-query";
import { api, type Schema, take } from "@/api/api";
import { read, touched } from "@/api/read";
import { Choices } from "@/areas/messages/Messages";
import { Acting } from "@/parts/Acting";
import { Listed } from "@/parts/Listed";
import { Page, Section } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";
import { PasswordForm } from "./PasswordForm";
import { useMay, useMe } from "./session";

/** All that acts for oneself, and one's own password. */
export function Account() {
  const may = useMay();
  const me = useMe();
  const list = useQuery({
    ...read("/me/sessions", { query: { limit: 200 } }),
  });
  const end = useMutation({
    mutationFn: (session: Schema["Session"] | undefined) =>
      session
        ? take(api.DELETE("/me/sessions/{id}", { params: { path: { id: session.id ?? "" } } }))
        : take(api.DELETE("/me/sessions")),
    onSuccess: () => touched("/me/sessions"),
  });
  const others = list.data?.items.filter((s) => !s.present && s.id) ?? [];
  return (
    <Page title="Your account" lead="Where you are signed in, how you sign in, and what you are told">
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-10 lg:grid-cols-[minmax(0,1fr)_22rem]">
        <Section
          title="What acts for you"
          note={
            others.length > 0 && <EndAll count={others.length} run={() => end.mutate(undefined)} busy={end.isPending} />
          }
        >
          <Wrong error={end.error} />
          <Listed of={list}>
            {(data) => <Acting list={data.items} end={(one) => end.mutate(one)} busy={end.isPending} />}
          </Listed>
          {list.data && others.length === 0 && <p className="mt-2 text-faded">Nothing else acts for you.</p>}
        </Section>
        <div className="space-y-8">
          <Section title="Change your password">
            <PasswordForm of={me.staff_number} />
          </Section>
          {may("console.view_staff") && (
            <Section title="What you are told by mail">
              <Choices />
            </Section>
          )}
        </div>
      </div>
    </Page>
  );
}

function EndAll({ count, run, busy }: { count: number; run: () => void; busy: boolean }) {
  return (
    <button type="button" className="text-damson underline underline-offset-2" disabled={busy} onClick={run}>
      {count === 1 ? "End the other one" : `End all ${count} others`}
    </button>
  );
}
