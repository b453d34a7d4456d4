import { useEffect, useState } from "react";

/*
 * Forms on which something is typed that is not sent: whoever leaves the page is asked first.
 */
const forms = new Set<object>();

/** Whether something is typed that leaving the page would lose. */
export const isTyped = () => forms.size > 0;

/** Forgets what is typed: it was sent, or is given up. */
export const letTyped = () => forms.clear();

/** Says of a form whether something is typed on it. */
export function useTyped(typed: boolean) {
  const [form] = useState({});
  useEffect(() => {
    if (typed) forms.add(form);
    return () => void forms.delete(form);
  }, [form, typed]);
}
