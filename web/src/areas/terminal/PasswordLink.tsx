import { Check } from "lucide-react";
import { useState } from "react";
import { ask, sentence } from "./ask";

/** The page that a link in a mail leads a manager to: they say their staff number and choose a password, once. */
export function PasswordLink({ token }: { token: string }) {
  const [number, setNumber] = useState("");
  const [password, setPassword] = useState("");
  const [wrong, setWrong] = useState("");
  const [done, setDone] = useState(false);
  const field = "min-h-12 w-full rounded-md border-2 border-edge bg-sheet px-3";
  return (
    <main className="mx-auto flex min-h-dvh max-w-md flex-col px-5 py-8 text-lg">
      <title>Choose a password · Loyal Latch</title>
      <h1 className="mb-6 flex items-center gap-3">
        <img src="/latch.svg" alt="" className="size-9" /> Choose a password
      </h1>
      {done ? (
        <p role="status" className="flex gap-3 rounded-md border-2 border-open bg-open-wash p-4">
          <Check size={28} className="shrink-0 text-open" aria-hidden />
          <span>
            Your new password counts, and all your sessions have ended.{" "}
            <a href="/" className="text-damson underline">
              Sign in
            </a>
            .
          </span>
        </p>
      ) : (
        <form
          className="space-y-4"
          onSubmit={async (e) => {
            e.preventDefault();
            setWrong("");
            try {
              await ask("POST", "/password-link/use", { token, staff_number: number, password });
              setDone(true);
            } catch (error) {
              setWrong(sentence(error));
            }
          }}
        >
          <label className="block">
            <span className="mb-1 block font-semibold">Your staff number</span>
            <input
              className={field}
              autoComplete="username"
              required
              value={number}
              onChange={(e) => setNumber(e.target.value)}
            />
          </label>
          <label className="block">
            <span className="mb-1 block font-semibold">New password</span>
            <input
              className={field}
              type="password"
              autoComplete="new-password"
              required
              aria-describedby="password-hint"
              value={password}
              onChange={(e) => setPassword(e.target.value)}
            />
          </label>
          <p id="password-hint" className="text-base text-faded">
            At least 15 characters; a few unrelated words do well.
          </p>
          {wrong && (
            <p role="alert" className="rounded-md border-2 border-shut bg-shut-wash p-3 font-medium text-shut">
              {wrong}
            </p>
          )}
          <button
            type="submit"
            className="min-h-12 w-full rounded-md bg-damson text-xl font-bold text-sheet focus-visible:outline-4"
          >
            Keep this password
          </button>
        </form>
      )}
    </main>
  );
}
