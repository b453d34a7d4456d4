import { QueryClient } from "@tanstack/react-query";
import createClient, { type Middleware } from "openapi-fetch";
import { heard, isSilence, signedInAgain, whenBack } from "./line";
import type { components, paths } from "./schema";
import { letTyped } from "./typed";

export type Schema = components["schemas"];
export type Staff = Schema["Staff"];
export type Place = Schema["Place"];
export type Problem = Schema["Problem"];
export type ChangeResult = Schema["ChangeResult"];
export type Operation = {
  op: string;
  ref?: string;
  on?: string;
  if_revision?: number;
  set?: Record<string, unknown>;
  reason?: string;
};

let csrf = "";

/** Remembers the value that proves to the service that a write comes from this page. */
export function setCsrf(value: string | undefined) {
  csrf = value ?? "";
}

/**
 * The keys of requests that were sent and not answered, by what was sent. Who presses again because nothing came back
 * sends the same key, so that what was made the first time is told and not made twice.
 */
const unanswered = new Map<string, string>();
const mostUnanswered = 50;

/** The key of a request: that of the same one before, where it was not answered. */
function keyOf(sent: string): string {
  const key = unanswered.get(sent) ?? crypto.randomUUID?.() ?? String(Math.random());
  if (unanswered.size >= mostUnanswered) unanswered.clear();
  unanswered.set(sent, key);
  return key;
}

/** Lets a key go once its request is answered. After 500 and above it was made or not: the next try asks. */
function answered(key: string | null, status: number) {
  if (status >= 500) return;
  for (const [sent, of] of unanswered) if (of === key) unanswered.delete(sent);
}

const signing: Middleware = {
  async onRequest({ request }) {
    if (request.method !== "GET") request.headers.set("X-CSRF-Token", csrf);
    if (request.method === "POST")
      request.headers.set("Idempotency-Key", keyOf(`${request.url} ${await request.clone().text()}`));
    return request;
  },
  onResponse({ request, response }) {
    answered(request.headers.get("Idempotency-Key"), response.status);
    if (request.method !== "GET" && response.ok && !request.url.includes("preview")) letTyped();
  },
};

/** Where nobody has to be signed in, or somebody says who they are. */
const open = /\/api\/v1\/(session|me|password-link)$/;

/** Sends a request; where the session has ended meanwhile, it goes on once whoever sits here has signed in again. */
async function sent(request: Request): Promise<Response> {
  const again = request.clone();
  const answer = await heard(request);
  if (answer.status !== 401 || !csrf || open.test(new URL(request.url).pathname)) return answer;
  await signedInAgain();
  if (again.headers.has("X-CSRF-Token")) again.headers.set("X-CSRF-Token", csrf);
  return heard(again);
}

export const api = createClient<paths, "application/json">({
  baseUrl: "/api/v1",
  fetch: sent,
  querySerializer: { array: { style: "form", explode: false } },
});
api.use(signing);

/** An answer that is a problem, thrown so that queries and mutations see it as an error. */
export class Refusal extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
  /** What the service says about one field, by the last part of its name. */
  field(name: string): string | undefined {
    return this.problem.errors?.find((e) => e.field === name || e.field.endsWith(`.${name}`))?.message;
  }
}

const unreachable: Problem = {
  type: "urn:loyal-latch:problem:unreachable",
  title: "Unreachable",
  status: 0,
  detail: "The service does not answer. Check the connection; nothing you typed is lost.",
};

/** Takes the data out of an answer, or throws what is wrong. */
export async function take<T>(answer: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let settled: { data?: T; error?: unknown; response: Response };
  try {
    settled = await answer;
  } catch {
    throw new Refusal(unreachable);
  }
  if (!settled.response.ok) {
    const problem = settled.error as Problem | undefined;
    throw new Refusal(problem?.detail ? problem : { ...unreachable, status: settled.response.status });
  }
  return settled.data as T;
}

/** Whether something was not answered, so that it is asked again. */
export const isUnanswered = (error: unknown) => error instanceof Refusal && isSilence(error.problem.status);

/** Sends what is not of the described API's own kinds: files, mostly. */
async function raw(path: string, init: RequestInit): Promise<Response> {
  let answer: Response;
  try {
    answer = await sent(new Request(`/api/v1${path}`, init));
  } catch {
    throw new Refusal(unreachable);
  }
  if (answer.ok) return answer;
  const problem = (await answer.json().catch(() => undefined)) as Problem | undefined;
  throw new Refusal(problem?.detail ? problem : { ...unreachable, status: answer.status });
}

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: true,
      // Asked at once, also where the browser believes to be offline: whatever is not answered is asked again
      networkMode: "always",
      retry: (count, error) => count < 2 && isUnanswered(error),
    },
    // A write is sent or refused at once: one that waited for the line would be made after somebody gave it up
    mutations: { networkMode: "always", retry: false },
  },
});
whenBack(() => void reread());

/** Reads again whatever is on show. What was made is made also where that fails. */
export const reread = () => queries.invalidateQueries().catch(() => undefined);

/** Makes operations together, or previews them; whatever is on show is read again after a change. */
export async function change(operations: Operation[], reason: string, preview = false): Promise<ChangeResult> {
  const body = { operations: operations as Schema["Operation"][], reason };
  if (preview) return take(api.POST("/changes/preview", { body }));
  const result = await take(api.POST("/changes", { body }));
  await reread();
  return result;
}

/** The sentence of whatever went wrong. */
export function sentenceOf(error: unknown): string {
  return error instanceof Refusal
    ? error.message
    : "Something went wrong in this page. Reload it; nothing was changed.";
}

/** Reads every page of a list. */
export async function everyPage<T>(read: (after: string) => Promise<{ items: T[]; next?: string }>): Promise<T[]> {
  const all: T[] = [];
  for (let after = ""; ; ) {
    const page = await read(after);
    all.push(...page.items);
    if (!page.next) return all;
    after = page.next;
  }
}

/** Sends a file of which something is made, such as a change, or a preview of one. */
export async function sendFile<T = ChangeResult>(path: string, file: Blob, type: string): Promise<T> {
  const key = keyOf(`${path} ${file.size} ${file instanceof File ? `${file.name} ${file.lastModified}` : ""}`);
  const body = await raw(path, {
    method: "POST",
    body: file,
    headers: { "Content-Type": type, "X-CSRF-Token": csrf, "Idempotency-Key": key },
  }).then(
    (answer) => answer.json(),
    (error) => {
      answered(key, error.problem.status || 599);
      throw error;
    },
  );
  answered(key, 200);
  if (!path.includes("preview=true")) await reread();
  return body as T;
}

/** Sends a file that is kept as it is, such as a scan, in the place of the one before. */
export async function send(path: string, file: Blob) {
  await raw(path, {
    method: "PUT",
    body: file,
    headers: { "Content-Type": "application/octet-stream", "X-CSRF-Token": csrf },
  });
}

/** Reads a picture as an address that an image can show. The policy of the page permits none that it has made itself. */
export async function picture(path: string): Promise<string> {
  const file = await (await raw(path, {})).blob();
  return new Promise((done, failed) => {
    const reader = new FileReader();
    reader.onload = () => done(reader.result as string);
    reader.onerror = () => failed(reader.error);
    reader.readAsDataURL(file);
  });
}

/** Takes something along as a file: a list as CSV, unless another type is asked for. */
export async function download(
  path: string,
  name: string,
  {
    query = {},
    type = "text/csv",
    method = "GET",
  }: {
    query?: Record<string, string | number | boolean> | undefined;
    type?: string | undefined;
    method?: "GET" | "POST";
  },
) {
  const asked = new URLSearchParams(Object.entries(query).map(([k, v]) => [k, String(v)])).toString();
  const answer = await raw(`${path}${asked && "?"}${asked}`, {
    method,
    headers: { Accept: type, ...(method === "POST" && { "X-CSRF-Token": csrf }) },
  });
  keep(await answer.blob(), name);
}

/** Hands something over as a file. */
export function keep(file: Blob, name: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(file);
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}
