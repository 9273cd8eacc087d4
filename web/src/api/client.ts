import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

/** An error as the API tells it: a problem document (RFC 9457). */
export class Problem extends Error {
  readonly status: number;
  readonly detail: string;
  readonly more: Record<string, unknown>;

  constructor(status: number, document: Record<string, unknown>) {
    super(typeof document.title === "string" ? document.title : "Can’t reach Kelvix.");
    this.status = status;
    this.detail = typeof document.detail === "string" ? document.detail : "Check that it is running, then try again.";
    this.more = document;
  }
}

export const client = createClient<paths>({ baseUrl: "/" });

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer; throws a Problem where there is none. */
export async function answer<T>(asked: Promise<Answer<T>>): Promise<T> {
  const { data, error, response } = await asked.catch(() => {
    throw new Problem(0, {});
  });
  if (error !== undefined || !response.ok) {
    throw new Problem(response.status, (error ?? {}) as Record<string, unknown>);
  }
  return data as T;
}

/** A problem in one sentence or two. */
export function said(error: unknown): string {
  return error instanceof Problem ? `${error.message} ${error.detail}`.trim() : String(error);
}
