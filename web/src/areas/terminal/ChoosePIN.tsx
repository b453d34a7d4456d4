import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { sentence } from "./ask";
import { Dots, Keypad } from "./Keypad";

/** Somebody chooses a PIN, twice; what the policy finds wrong is told while they type. */
export function ChoosePIN({
  check,
  choose,
  cancel,
  done,
}: {
  check: (pin: string) => Promise<string>;
  choose: (pin: string) => Promise<unknown>;
  cancel?: () => void;
  done: () => void;
}) {
  const [pin, setPIN] = useState("");
  const [first, setFirst] = useState<string>();
  const [wrong, setWrong] = useState("");
  const [told, setTold] = useState(""); // what the answer to the last choice was
  const asked = useRef(0);
  const busy = useRef(false);

  useEffect(() => {
    const number = ++asked.current;
    if (!pin || first !== undefined) {
      setWrong("");
      return;
    }
    const timer = setTimeout(() => {
      check(pin)
        .then((found) => asked.current === number && setWrong(found))
        .catch((error) => asked.current === number && setTold(sentence(error)));
    }, 250);
    return () => clearTimeout(timer);
  }, [pin, first, check]);

  const type = (digit: string) => {
    setTold("");
    setPIN((before) => (before.length < 10 ? before + digit : before));
  };
  const back = () => setPIN((before) => before.slice(0, -1));
  const enter = async () => {
    if (busy.current || pin.length < 4) return;
    if (first === undefined) {
      const found = await check(pin).catch(sentence);
      if (found) return setWrong(found);
      setFirst(pin);
      return setPIN("");
    }
    if (pin !== first) {
      setTold("The two are not the same. Choose again.");
      setFirst(undefined);
      return setPIN("");
    }
    busy.current = true;
    try {
      await choose(pin);
      done();
    } catch (error) {
      setTold(sentence(error));
      setFirst(undefined);
      setPIN("");
    } finally {
      busy.current = false;
    }
  };
  const latest = useRef({ type, back, enter });
  latest.current = { type, back, enter };
  // Before the page is seen, so that the first key counts
  useLayoutEffect(() => {
    const key = (e: KeyboardEvent) => {
      if (/^\d$/.test(e.key)) latest.current.type(e.key);
      else if (e.key === "Backspace") latest.current.back();
      else if (e.key === "Enter" && !(e.target instanceof HTMLButtonElement)) void latest.current.enter();
    };
    document.addEventListener("keydown", key);
    return () => document.removeEventListener("keydown", key);
  }, []);

  return (
    <section aria-label="Choose a PIN" className="mx-auto w-full max-w-sm">
      <h2 className="text-center text-2xl font-bold">
        {first === undefined ? "Choose a new PIN" : "Type it once more"}
      </h2>
      <Dots count={pin.length} label={first === undefined ? "New PIN" : "New PIN, again"} />
      <p role="status" className="mb-3 min-h-12 text-center font-medium text-shut">
        {told || (pin.length >= 3 ? wrong : "")}
      </p>
      <Keypad
        onDigit={type}
        onBack={back}
        onEnter={() => void enter()}
        word={first === undefined ? "Next" : "Done"}
        ready={pin.length >= 4 && !wrong}
      />
      {cancel && (
        <button type="button" className="mt-4 min-h-12 w-full text-lg underline underline-offset-4" onClick={cancel}>
          Not now
        </button>
      )}
    </section>
  );
}
