import { Delete } from "lucide-react";

const keys = ["1", "2", "3", "4", "5", "6", "7", "8", "9"];

/** What stands for digits that nobody beside may read. */
export function Dots({ count, label }: { count: number; label: string }) {
  return (
    <p aria-live="polite" className="h-14 text-center text-4xl leading-14 tracking-digits">
      <span aria-hidden>{"•".repeat(count) || <span className="text-edge">– – – –</span>}</span>
      <span className="sr-only">
        {label}: {count} digits typed
      </span>
    </p>
  );
}

/** A keypad for fingers, gloves among them. */
export function Keypad({
  onDigit,
  onBack,
  onEnter,
  word,
  ready,
}: {
  onDigit: (digit: string) => void;
  onBack: () => void;
  onEnter: () => void;
  word: string;
  ready: boolean;
}) {
  const look =
    "min-h-16 rounded-md border-2 border-edge bg-sheet text-3xl font-semibold active:bg-inset focus-visible:outline-4";
  return (
    <div className="grid grid-cols-3 gap-3">
      {keys.map((k) => (
        <button key={k} type="button" className={look} onClick={() => onDigit(k)}>
          {k}
        </button>
      ))}
      <button type="button" aria-label="Delete the last digit" className={look} onClick={onBack}>
        <Delete size={30} className="mx-auto" aria-hidden />
      </button>
      <button type="button" className={look} onClick={() => onDigit("0")}>
        0
      </button>
      <button
        type="button"
        disabled={!ready}
        className="min-h-16 rounded-md border-2 border-damson bg-damson text-xl font-bold text-sheet disabled:opacity-45 focus-visible:outline-4"
        onClick={onEnter}
      >
        {word}
      </button>
    </div>
  );
}
