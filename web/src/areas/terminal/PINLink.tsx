import { Check } from "lucide-react";
import { useState } from "react";
import { ask, sentence } from "./ask";
import { ChoosePIN } from "./ChoosePIN";

type Verdict = { wrong?: string; called?: string };

/** The page that a link in a mail leads to: somebody says their staff number and chooses a PIN, once. */
export function PINLink({ token }: { token: string }) {
  const [number, setNumber] = useState("");
  const [called, setCalled] = useState<string>();
  const [wrong, setWrong] = useState("");
  const [done, setDone] = useState(false);
  const say = (pin: string) => ({ token, staff_number: number, ...(pin && { pin }) });
  return (
    <main className="mx-auto flex min-h-dvh max-w-md flex-col px-5 py-8 text-lg">
      <title>Choose your PIN · Loyal Latch</title>
      <h1 className="mb-6 flex items-center gap-3">
        <img src="/latch.svg" alt="" className="size-9" /> Choose your PIN
      </h1>
      {done ? (
        <p role="status" className="flex gap-3 rounded-md border-2 border-open bg-open-wash p-4">
          <Check size={28} className="shrink-0 text-open" aria-hidden /> Your PIN counts from now on. Tell it to nobody,
          and close this page. The link is used up.
        </p>
      ) : called === undefined ? (
        <form
          className="space-y-4"
          onSubmit={async (e) => {
            e.preventDefault();
            setWrong("");
            try {
              setCalled((await ask<Verdict>("POST", "/pin-link/check", say(""))).called ?? "");
            } catch (error) {
              setWrong(sentence(error));
            }
          }}
        >
          <label className="block">
            <span className="mb-1 block font-semibold">Your staff number</span>
            <input
              className="min-h-12 w-full rounded-md border-2 border-edge bg-sheet px-3"
              autoComplete="off"
              autoCapitalize="characters"
              required
              value={number}
              aria-describedby="number-hint"
              onChange={(e) => setNumber(e.target.value)}
            />
          </label>
          <p id="number-hint" className="text-base text-faded">
            It stands in your contract papers, such as Q0117.
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
            Go on
          </button>
        </form>
      ) : (
        <>
          <p className="mb-4 text-center">Hello {called}.</p>
          <ChoosePIN
            check={async (pin) => (await ask<Verdict>("POST", "/pin-link/check", say(pin))).wrong ?? ""}
            choose={(pin) => ask("POST", "/pin-link/use", say(pin))}
            done={() => setDone(true)}
          />
        </>
      )}
    </main>
  );
}
