import { useSyncExternalStore } from "react";

/*
 * Whether the service answers, and whether whoever sits here is signed in still, as far as requests have told.
 */

/** What is known of the line to the service. */
export type Line = {
  /** Since when no request was answered as one should be; left out while all are. */
  silent: Date | undefined;
  /** The session has ended while the page was open. */
  ended: boolean;
};

let line: Line = { silent: undefined, ended: false };
const told = new Set<() => void>();

function becomes(next: Partial<Line>) {
  line = { ...line, ...next };
  for (const tell of told) tell();
}

/** What is known of the line, as it is at each time a page is drawn. */
export const useLine = () =>
  useSyncExternalStore(
    (tell) => {
      told.add(tell);
      return () => told.delete(tell);
    },
    () => line,
  );

/** Statuses by which the service, or what stands before it, says that it cannot answer now. */
export const isSilence = (status: number) => status === 0 || (status >= 502 && status <= 504);

const pingEvery = 3_000; // milliseconds
let pinging: ReturnType<typeof setInterval> | undefined;
const back = new Set<() => void>();

/** Does something whenever the service answers again. */
export const whenBack = (act: () => void) => back.add(act);

async function ping() {
  const answer = await fetch("/readyz", { cache: "no-store" }).catch(() => undefined);
  if (answer?.ok) answers();
}

function answers() {
  if (!line.silent) return;
  clearInterval(pinging);
  pinging = undefined;
  becomes({ silent: undefined });
  for (const act of back) act();
}

function silent() {
  if (!line.silent) becomes({ silent: new Date() });
  pinging ??= setInterval(ping, pingEvery);
}

window.addEventListener("online", () => line.silent && ping());
window.addEventListener("offline", silent);

/** Sends a request, and notes whether it was answered. */
export async function heard(request: Request): Promise<Response> {
  try {
    const answer = await fetch(request);
    if (isSilence(answer.status)) silent();
    else answers();
    return answer;
  } catch (error) {
    if (!request.signal.aborted) silent();
    throw error;
  }
}

let waiting: (() => void)[] = [];

/** Asks whoever sits here to sign in again; ends once they have. */
export const signedInAgain = () =>
  new Promise<void>((go) => {
    waiting.push(go);
    becomes({ ended: true });
  });

/** Lets go on what waits for somebody to sign in again. */
export function goOn() {
  const go = waiting;
  waiting = [];
  becomes({ ended: false });
  for (const one of go) one();
}
