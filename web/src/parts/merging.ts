import { useState } from "react";

/**
 * A form on a record that others may write meanwhile. What is typed here is kept; all else follows the record, so that
 * what somebody else wrote is neither lost nor taken for something that was typed here. Where both have written,
 * theirs() says so: it replaces nothing unseen.
 */
export function useMerging<F extends object>(now: F) {
  const [typed, setTyped] = useState<Partial<F>>({});
  const [before, setBefore] = useState<Partial<F>>({}); // what stood there when it was first typed over
  const standing = (name: keyof F) => now[name] ?? "";
  const put = (next: Partial<F>) => {
    const names = Object.keys(next) as (keyof F)[];
    setBefore({ ...(Object.fromEntries(names.map((n) => [n, standing(n)])) as Partial<F>), ...before });
    setTyped({ ...typed, ...next });
  };
  const names = (Object.keys(typed) as (keyof F)[]).filter((n) => typed[n] !== standing(n));
  /** What is typed and differs from the record. */
  const changed = Object.fromEntries(names.map((n) => [n, typed[n]])) as Partial<F>;
  /** What to say beside a field that somebody else wrote while it was typed over. */
  const theirs = (name: keyof F): { hint: string } | undefined =>
    name in changed && before[name] !== standing(name)
      ? { hint: `Somebody else has written “${standing(name) || "nothing"}” here meanwhile. Yours replaces it.` }
      : undefined;
  return { form: { ...now, ...typed } as F, put, changed, theirs };
}
