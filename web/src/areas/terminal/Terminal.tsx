import { IdCard, WifiOff } from "lucide-react";
import { useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import type { Schema } from "@/api/api";
import { ask, NoConnection, Refused, sentence } from "./ask";
import { Dots, Keypad } from "./Keypad";
import { VisitPage } from "./VisitPage";

type Facts = Schema["Terminal"];
export type Visit = Schema["Visit"];

const pollEvery = 15_000;
const awayEvery = 3_000;

/** Where the terminal is, as it was known last; nothing about people. */
const lastFacts = {
  read(): Facts | undefined {
    try {
      return JSON.parse(localStorage.getItem("terminal") ?? "") as Facts;
    } catch {
      return undefined; // none, or what a version before has kept
    }
  },
  keep: (facts: Facts) => localStorage.setItem("terminal", JSON.stringify(facts)),
  forget: () => localStorage.removeItem("terminal"),
};

/** A shared terminal: registered once, then for one person after another. */
export function Terminal() {
  const [facts, setFacts] = useState(lastFacts.read);
  const [unregistered, setUnregistered] = useState(false);
  const [away, setAway] = useState(false);
  const [visit, setVisit] = useState<Visit>();
  const read = useCallback(async () => {
    try {
      const now = await ask<Facts>("GET", "/terminal");
      setFacts(now);
      lastFacts.keep(now);
      setAway(false);
      setUnregistered(false);
    } catch (error) {
      if (error instanceof Refused && error.status === 401) {
        setUnregistered(true);
        lastFacts.forget();
      } else setAway(true);
    }
  }, []);
  useEffect(() => {
    void read();
    const timer = setInterval(read, away ? awayEvery : pollEvery);
    return () => clearInterval(timer);
  }, [read, away]);
  if (unregistered) return <Register done={read} />;
  return (
    <div className="flex min-h-dvh flex-col text-lg">
      <title>{`${facts?.place.name ?? "Terminal"} · Loyal Latch`}</title>
      <header className="flex flex-wrap items-center justify-between gap-3 border-b-4 border-brass-light bg-damson px-6 py-3 text-paper">
        <span>
          <b className="block text-xl">{facts?.place.name ?? " "}</b>
          <span className="text-base">{facts?.organisation}</span>
        </span>
        {facts && <Clock zone={facts.time_zone} />}
      </header>
      {away && (
        <p role="alert" className="flex items-center gap-3 bg-shut px-6 py-3 text-xl font-semibold text-sheet">
          <WifiOff size={28} aria-hidden /> No connection. What is shown is what was known last, and is for reading
          only.
        </p>
      )}
      <main className="flex grow flex-col justify-center px-6 py-6">
        {visit ? (
          <VisitPage visit={visit} away={setAway} next={setVisit} leave={() => setVisit(undefined)} />
        ) : (
          facts && <Show proof={facts.proof ?? ""} away={setAway} let={setVisit} />
        )}
      </main>
    </div>
  );
}

function Clock({ zone }: { zone: string }) {
  const [now, setNow] = useState(() => new Date());
  useEffect(() => {
    const timer = setInterval(() => setNow(new Date()), 1000);
    return () => clearInterval(timer);
  }, []);
  return (
    <span className="text-right">
      <b className="block text-3xl leading-none">
        {now.toLocaleTimeString("en-IE", { timeZone: zone, hour: "2-digit", minute: "2-digit", hourCycle: "h23" })}
      </b>
      <span className="text-base">
        {now.toLocaleDateString("en-IE", { timeZone: zone, weekday: "long", day: "numeric", month: "long" })}
      </span>
    </span>
  );
}

function Register({ done }: { done: () => Promise<void> }) {
  const [code, setCode] = useState("");
  const [wrong, setWrong] = useState("");
  return (
    <main className="mx-auto flex min-h-dvh max-w-md flex-col justify-center px-6 text-lg">
      <title>Register this tablet · Loyal Latch</title>
      <h1 className="mb-2">Register this tablet</h1>
      <p className="mb-6 text-faded">
        It becomes a shared terminal at one place. A manager makes a code in the console, under Estate; it works once,
        for half an hour.
      </p>
      <form
        className="space-y-4"
        onSubmit={async (e) => {
          e.preventDefault();
          setWrong("");
          try {
            await ask("POST", "/terminal/register", { code });
            await done();
          } catch (error) {
            setWrong(sentence(error));
          }
        }}
      >
        <label className="block">
          <span className="mb-1 block font-semibold">Code</span>
          <input
            className="min-h-14 w-full rounded-md border-2 border-edge bg-sheet px-3 text-center text-3xl tracking-code uppercase"
            autoComplete="off"
            required
            maxLength={12}
            value={code}
            onChange={(e) => setCode(e.target.value)}
          />
        </label>
        {wrong && (
          <p role="alert" className="rounded-md border-2 border-shut bg-shut-wash p-3 font-medium text-shut">
            {wrong}
          </p>
        )}
        <button
          type="submit"
          className="min-h-14 w-full rounded-md bg-damson text-xl font-bold text-sheet focus-visible:outline-4"
        >
          Register
        </button>
      </form>
    </main>
  );
}

/** A reader that types goes faster than fingers do, and ends with Enter. */
const readerPause = 30;

/** Listens for a badge that a reader types: it is told from a PIN by how fast it comes. */
export function useReader(onBadge: (read: string) => void) {
  const latest = useRef(onBadge);
  latest.current = onBadge;
  useLayoutEffect(() => {
    let typed = "";
    let at = 0;
    let fast = true;
    const key = (e: KeyboardEvent) => {
      if (e.target instanceof HTMLInputElement || e.ctrlKey || e.metaKey || e.altKey) return;
      const pause = e.timeStamp - at;
      at = e.timeStamp;
      if (e.key === "Enter") {
        if (typed.length >= 5 && fast) {
          e.preventDefault();
          latest.current(typed);
        }
        typed = "";
        fast = true;
        return;
      }
      if (e.key === "Shift") return;
      if (e.key.length !== 1) {
        typed = ""; // no reader corrects itself
        return;
      }
      if (pause > 1500) typed = "";
      if (!typed) fast = true;
      else if (pause > readerPause) fast = false;
      typed += e.key;
    };
    document.addEventListener("keydown", key);
    return () => document.removeEventListener("keydown", key);
  }, []);
}

/** Nobody is signed in: somebody shows a PIN, a badge or both. */
function Show({
  proof,
  away,
  let: letIn,
}: {
  proof: string;
  away: (gone: boolean) => void;
  let: (visit: Visit) => void;
}) {
  const [pin, setPIN] = useState("");
  const [badge, setBadge] = useState("");
  const [told, setTold] = useState("");
  const busy = useRef(false);
  const show = async (shown: { pin?: string; badge?: string }) => {
    if (busy.current) return;
    busy.current = true;
    try {
      letIn(await ask<Visit>("POST", "/terminal/visit", shown));
    } catch (error) {
      if (error instanceof NoConnection) away(true);
      setTold(sentence(error));
      setPIN("");
      setBadge("");
    } finally {
      busy.current = false;
    }
  };
  const both = proof === "badge_and_pin";
  useReader((read) => {
    setTold("");
    setPIN("");
    if (both) setBadge(read);
    else void show({ badge: read });
  });
  const type = (digit: string) => {
    setTold("");
    setPIN((before) => (before.length < 10 ? before + digit : before));
  };
  const enter = () => pin.length >= 4 && void show({ pin, ...(badge && { badge }) });
  const latest = useRef({ type, enter });
  latest.current = { type, enter };
  useLayoutEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (/^\d$/.test(e.key)) latest.current.type(e.key);
      else if (e.key === "Backspace") setPIN((before) => before.slice(0, -1));
      else if (e.key === "Enter" && !(e.target instanceof HTMLButtonElement)) latest.current.enter();
    };
    document.addEventListener("keydown", key);
    return () => document.removeEventListener("keydown", key);
  }, []);
  const asks =
    proof === "badge"
      ? "Hold your badge to the reader"
      : both
        ? badge
          ? "Now type your PIN"
          : "Hold your badge to the reader, then type your PIN"
        : proof === "pin"
          ? "Type your PIN"
          : "Type your PIN, or hold your badge to the reader";
  return (
    <section aria-label="Sign in here" className="mx-auto w-full max-w-sm">
      <h1 className="flex items-center justify-center gap-3 text-center text-2xl">
        {proof !== "pin" && <IdCard size={30} className="shrink-0 text-brass" aria-hidden />}
        {asks}
      </h1>
      {proof !== "badge" && <Dots count={pin.length} label="PIN" />}
      <p role="alert" className="mb-3 min-h-12 text-center font-medium text-shut">
        {told}
      </p>
      {proof !== "badge" && (
        <Keypad
          onDigit={type}
          onBack={() => setPIN((before) => before.slice(0, -1))}
          onEnter={enter}
          word="Go on"
          ready={pin.length >= 4}
        />
      )}
    </section>
  );
}
