import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];
export type Finding = Schemas["FindingInfo"];

type Method = "get" | "post" | "put" | "patch" | "delete";
type PathsWith<M extends Method> = { [P in keyof paths]: paths[P] extends { [K in M]: unknown } ? (paths[P][M] extends undefined ? never : P) : never }[keyof paths];
type OperationOf<P extends keyof paths, M extends Method> = M extends keyof paths[P] ? NonNullable<paths[P][M]> : never;
type BodyOf<O> = O extends { requestBody: { content: { "application/json": infer B } } } ? B : undefined;
type AnswerOf<O> = O extends { responses: infer R } ? { [S in keyof R]: S extends 200 | 201 ? (R[S] extends { content: { "application/json": infer A } } ? A : undefined) : never }[keyof R] : never;

/** What the service refused, in its own words (RFC 9457). Status 0 stands for a service that did not answer. */
export class Refused extends Error {
  constructor(readonly status: number, readonly title: string, detail: string, readonly findings: readonly Finding[] = []) {
    super(detail);
  }

  /** It passes by itself: the service does not answer, or reads its state. What was only asked may be asked again. */
  get isPassing(): boolean {
    return this.status === 0 || this.status === 503;
  }
}

let csrfToken: string | null = null;
let whenSignedOut: () => void = () => undefined;
let whenClockIsSeen: (header: string | null) => void = () => undefined;
let whenPastIsSeen: (header: string | null) => void = () => undefined;

/** Sends the session's token with every change from now on. */
export function keepCsrfToken(token: string | null | undefined): void {
  csrfToken = token ?? null;
}

/** Who is told that the session has ended, what the demo clock shows, and of which past moment an answer is. */
export function listen(to: { signedOut: () => void; clock: (header: string | null) => void; past: (header: string | null) => void }): void {
  whenSignedOut = to.signedOut;
  whenClockIsSeen = to.clock;
  whenPastIsSeen = to.past;
}

const client = createClient<paths>({ baseUrl: "/", credentials: "same-origin", fetch: (request) => globalThis.fetch(request) });

export interface Options<B> {
  path?: Record<string, string>;
  query?: Record<string, string | number | boolean | null | undefined>;
  body?: B;
  /** The revision that is changed; the service refuses if it is another by now. */
  revision?: number;
  signal?: AbortSignal;
}

/** Every call to the service goes through here. Throws {@link Refused}. */
export async function request<M extends Method, P extends PathsWith<M>>(method: M, path: P, options: Options<BodyOf<OperationOf<P, M>>> = {}): Promise<AnswerOf<OperationOf<P, M>>> {
  const headers: Record<string, string> = {};
  if (method !== "get" && csrfToken) headers["X-CSRF-Token"] = csrfToken;
  if (options.revision !== undefined) headers["If-Match"] = `"${options.revision}"`;
  const query = Object.fromEntries(Object.entries(options.query ?? {}).filter(([, value]) => value !== undefined && value !== null && value !== ""));
  let answer: { data?: unknown; error?: unknown; response: Response };
  try {
    answer = await (client.request as (method: string, path: string, init: object) => Promise<typeof answer>)(method, path, {
      params: { path: options.path ?? {}, query }, body: options.body, headers, signal: options.signal,
    });
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new Refused(0, "Not reachable", "The service does not answer. It may be restarting; try again in a moment.");
  }
  whenClockIsSeen(answer.response.headers.get("Bandejo-Demo-Clock"));
  whenPastIsSeen(answer.response.headers.get("Bandejo-As-Of"));
  if (answer.response.ok) return harmless(answer.data) as AnswerOf<OperationOf<P, M>>;
  const problem = (answer.error ?? {}) as Partial<{ title: string; detail: string; findings: Finding[] }>;
  if (answer.response.status === 401 && path !== "/api/v1/session") whenSignedOut();
  throw new Refused(answer.response.status, problem.title ?? "Refused", problem.detail ?? `The service answered ${answer.response.status}.`, problem.findings ?? []);
}

// Control characters but line breaks and tabs, and marks that turn the direction of reading round: devices and installers write what they like.
const harmful = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff]/g;

/** What was answered, with every text in it as it may be shown. */
export function harmless(value: unknown): unknown {
  if (typeof value === "string") return value.replace(harmful, "\ufffd");
  if (Array.isArray(value)) return value.map(harmless);
  if (value && typeof value === "object") return Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, harmless(inner)]));
  return value;
}

/** The text of a file of the service's, such as a log. */
export async function text(address: string): Promise<string> {
  const answer = await fetch(address, { credentials: "same-origin" });
  if (!answer.ok) {
    const problem = (await answer.json().catch(() => ({}))) as { title?: string; detail?: string };
    throw new Refused(answer.status, problem.title ?? "Refused", problem.detail ?? `The service answered ${answer.status}.`);
  }
  return harmless(await answer.text()) as string;
}

/** Sends bytes to an address that takes no JSON, such as a piece of a file. */
export async function sendBytes<A>(method: string, address: string, bytes: Blob, headers: Record<string, string>): Promise<A> {
  let answer: Response;
  try {
    answer = await fetch(address, { method, body: bytes, credentials: "same-origin", headers: { ...headers, "Content-Type": "application/octet-stream", ...(csrfToken ? { "X-CSRF-Token": csrfToken } : {}) } });
  } catch {
    throw new Refused(0, "Not reachable", "The service does not answer. It may be restarting; try again in a moment.");
  }
  const said = (await answer.json().catch(() => ({}))) as A & Partial<{ title: string; detail: string }>;
  if (answer.ok) return said;
  if (answer.status === 401) whenSignedOut();
  throw new Refused(answer.status, said.title ?? "Refused", said.detail ?? `The service answered ${answer.status}.`);
}
