import { useMutation, useQuery } from "@tanstack/react-query";
import { createContext, type ReactNode, useContext, useState } from "react";
import { api, queries, Refusal, type Schema, setCsrf, take } from "@/api/api";
import { goOn, useLine } from "@/api/line";
import { letTyped } from "@/api/typed";
import { Ask } from "@/parts/Ask";
import { Button } from "@/parts/Button";
import { TextField } from "@/parts/fields";
import { Loading } from "@/parts/Page";
import { Wrong } from "@/parts/Wrong";
import { PasswordForm } from "./PasswordForm";

type Me = Schema["Me"];
const Signed = createContext<Me | undefined>(undefined);

/** Who is signed in. */
export function useMe(): Me {
  return useContext(Signed)!;
}

/** Whether a console permission is held anywhere, or at a site. */
export function useMay() {
  const me = useMe();
  return (permission: string, site?: string) =>
    site ? (me.may[permission]?.includes(site) ?? false) : permission in me.may;
}

/** Shows the console to those who are signed in, and a way to sign in to all others. */
export function SignedIn({ children }: { children: ReactNode }) {
  const me = useQuery({
    queryKey: ["/me"],
    queryFn: async () => {
      const found = await take(api.GET("/me"));
      const before = queries.getQueryData<Me>(["/me"])?.staff_number;
      if (before && before !== found.staff_number) location.reload(); // somebody else, in another tab
      setCsrf(found.csrf);
      return found;
    },
    staleTime: 60_000,
    retry: false,
  });
  const line = useLine();
  const ended = me.error instanceof Refusal && me.error.problem.status === 401;
  if (me.isPending) return <Loading />;
  if (ended && !me.data) return <SignIn />;
  if (!me.data) {
    return (
      <Cover>
        <Wrong error={me.error} />
        <Button className="mt-4" onClick={() => me.refetch()}>
          Try again
        </Button>
      </Cover>
    );
  }
  if (me.data.must_change_password) return <OwnPassword of={me.data.staff_number} />;
  return (
    <Signed.Provider value={me.data}>
      {children}
      {(ended || line.ended) && <SignInAgain me={me.data} />}
    </Signed.Provider>
  );
}

/** Lets somebody whose session has ended sign in over the page as it is: what is typed stays, and what was sent goes on. */
function SignInAgain({ me }: { me: Me }) {
  const [password, setPassword] = useState("");
  const run = useMutation({
    mutationFn: () =>
      take(
        api.POST("/session", {
          body: { name: me.staff_number, password, kind: "console" },
          headers: { "Idempotency-Key": "" },
        }),
      ),
    onSuccess: async () => {
      await queries.refetchQueries({ queryKey: ["/me"] });
      goOn();
      void queries.invalidateQueries();
    },
  });
  return (
    <Ask
      open
      fixed
      onOpenChange={() => {}}
      title="Sign in again"
      about={`Your session has ended, ${me.called}. What stands on this page stays, and what you sent goes on.`}
    >
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <input type="hidden" autoComplete="username" value={me.staff_number} readOnly />
        <TextField
          label="Password"
          type="password"
          autoFocus
          autoComplete="current-password"
          required
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        <Wrong error={run.error} />
        <div className="flex gap-2">
          <Button type="submit" look="main" disabled={run.isPending}>
            Sign in
          </Button>
          <Button
            onClick={() => {
              letTyped();
              location.assign("/");
            }}
          >
            I am somebody else
          </Button>
        </div>
      </form>
    </Ask>
  );
}

function Cover({ children }: { children: ReactNode }) {
  return (
    <div className="grid min-h-dvh grid-cols-1 md:grid-cols-[minmax(19rem,38%)_minmax(0,1fr)]">
      <header className="flex flex-col justify-between border-b-4 border-brass-light bg-damson p-8 text-paper md:border-r-4 md:border-b-0 md:p-12">
        <div className="flex items-center gap-3 text-xl font-bold">
          <img src="/latch.svg" alt="" className="size-9 rounded-md ring-1 ring-brass-light" />
          Loyal Latch
        </div>
        <p className="mt-6 max-w-sm text-2xl leading-snug font-medium text-balance">
          Who may open what, where and when. And why.
        </p>
      </header>
      <main className="flex items-center p-8 md:p-16">
        <div className="w-full max-w-sm">{children}</div>
      </main>
    </div>
  );
}

function SignIn() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const run = useMutation({
    mutationFn: () =>
      take(api.POST("/session", { body: { name, password, kind: "console" }, headers: { "Idempotency-Key": "" } })),
    onSuccess: () => queries.resetQueries(),
  });
  return (
    <Cover>
      <title>Sign in · Loyal Latch</title>
      <h1 className="mb-5">Sign in</h1>
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          run.mutate();
        }}
      >
        <TextField
          label="Work email or staff number"
          autoFocus
          autoComplete="username"
          required
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <TextField
          label="Password"
          type="password"
          autoComplete="current-password"
          required
          value={password}
          onChange={(e) => setPassword(e.target.value)}
        />
        <Wrong error={run.error} />
        <Button type="submit" look="main" className="w-full" disabled={run.isPending}>
          Sign in
        </Button>
        <Forgotten name={name} />
      </form>
    </Cover>
  );
}

/** Asks for a link to choose a new password. The answer is the same whoever asks. */
function Forgotten({ name }: { name: string }) {
  const run = useMutation({ mutationFn: () => take(api.POST("/password-link", { body: { name } })) });
  return (
    <div className="space-y-2">
      <Button look="quiet" className="px-0" disabled={!name.trim() || run.isPending} onClick={() => run.mutate()}>
        I have forgotten my password
      </Button>
      <Wrong error={run.error} />
      {run.isSuccess && (
        <p role="status">
          If somebody of this name signs in here and has a work email, a link is on its way. It works once, for two
          hours.
        </p>
      )}
      {!name.trim() && <p className="text-sm text-faded">Type your work email or staff number first.</p>}
    </div>
  );
}

function OwnPassword({ of }: { of: string }) {
  return (
    <Cover>
      <title>Choose a password · Loyal Latch</title>
      <h1>Choose your own password</h1>
      <p className="mt-1 mb-5 text-faded">You signed in with a first password. Choose one that only you know.</p>
      <PasswordForm of={of} first done={() => queries.resetQueries()} />
    </Cover>
  );
}
