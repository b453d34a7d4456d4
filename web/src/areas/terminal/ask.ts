import type { Schema } from "@/api/api";

/** Something that the service has refused, in its own words. */
export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly type: string,
    message: string,
  ) {
    super(message);
  }
}

/** There is no answer: the network or the service is away. */
export class NoConnection extends Error {}

/** Asks the service for something that needs no sign-in to the console. */
export async function ask<T>(method: "GET" | "POST", path: string, body?: unknown, visit?: string): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(`/api/v1${path}`, {
      method,
      headers: {
        ...(body !== undefined && { "Content-Type": "application/json" }),
        ...(visit && { "X-Visit": visit }),
      },
      ...(body !== undefined && { body: JSON.stringify(body) }),
    });
  } catch {
    throw new NoConnection("No connection to the service.");
  }
  if (answer.status >= 502 && answer.status <= 504) throw new NoConnection("No connection to the service.");
  const text = await answer.text();
  const read = text ? JSON.parse(text) : undefined;
  if (!answer.ok) {
    const p = read as Schema["Problem"];
    throw new Refused(answer.status, p?.type ?? "", p?.errors?.[0]?.message ?? p?.detail ?? "This was refused.");
  }
  return read as T;
}

export const sentence = (error: unknown) =>
  error instanceof Error ? error.message.charAt(0).toUpperCase() + error.message.slice(1) : "Something went wrong.";
