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
  constructor(readonly status: number, readonly title: string, detail: string, readonly findings: readonly Finding[] = [], readonly isLate = false) {
    super(detail);
  }

  /** It passes by itself: the service does not answer, or reads its state. What was only asked may be asked again. */
  get isPassing(): boolean {
    return this.status === 0 || this.status === 503;
  }
}

/** So long an answer is waited for, milliseconds: of what is only asked, and of what is changed. */
const PATIENCE = { ask: 20_000, change: 60_000 };

/** Somebody else changed it meanwhile. */
export function isStale(error: unknown): boolean {
  return error instanceof Refused && error.status === 412;
}

let csrfToken: string | null = null;
let whenAnswered: (isAnswered: boolean) => void = () => undefined;
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

/** Who is told after each call whether the service answered at all. */
export function listenForAnswers(to: (isAnswered: boolean) => void): void {
  whenAnswered = to;
}

/** What is said where no answer came. */
function unanswered(isChange: boolean, isLate: boolean): Refused {
  whenAnswered(false);
  if (!isLate) return new Refused(0, "Not reachable", "The service does not answer. It may be restarting; try again in a moment.");
  const seconds = (isChange ? PATIENCE.change : PATIENCE.ask) / 1000;
  return new Refused(0, "No answer", `The service has not answered for ${seconds} seconds.${isChange ? " Whether it did what was asked, nobody can tell from here: look before you ask again." : ""}`, [], true);
}

const client = createClient<paths>({ baseUrl: "/", credentials: "same-origin", fetch: (request) => globalThis.fetch(request) });

export interface Options<B> {
  path?: Record<string, string>;
  query?: Record<string, string | number | boolean | null | undefined>;
  body?: B;
  /** The revision that is changed; the service refuses if it is another by now. */
  revision?: number | string;
  signal?: AbortSignal;
}

/** Changes that are being asked for, so that a button that is pressed twice asks once. */
const underWay = new Map<string, Promise<unknown>>();

/** Every call to the service goes through here. Throws {@link Refused}. */
export function request<M extends Method, P extends PathsWith<M>>(method: M, path: P, options: Options<BodyOf<OperationOf<P, M>>> = {}): Promise<AnswerOf<OperationOf<P, M>>> {
  if (method === "get" || options.signal) return send(method, path, options);
  const what = JSON.stringify([method, path, options.path, options.query, options.body, options.revision]);
  const same = underWay.get(what) as Promise<AnswerOf<OperationOf<P, M>>> | undefined;
  const asked = same ?? send(method, path, options).finally(() => underWay.delete(what));
  underWay.set(what, asked);
  return asked;
}

async function send<M extends Method, P extends PathsWith<M>>(method: M, path: P, options: Options<BodyOf<OperationOf<P, M>>> = {}): Promise<AnswerOf<OperationOf<P, M>>> {
  const headers: Record<string, string> = {};
  if (method !== "get" && csrfToken) headers["X-CSRF-Token"] = csrfToken;
  if (options.revision !== undefined) headers["If-Match"] = `"${options.revision}"`;
  const query = Object.fromEntries(Object.entries(options.query ?? {}).filter(([, value]) => value !== undefined && value !== null && value !== ""));
  let answer: { data?: unknown; error?: unknown; response: Response };
  const late = AbortSignal.timeout(method === "get" ? PATIENCE.ask : PATIENCE.change);
  try {
    answer = await (client.request as (method: string, path: string, init: object) => Promise<typeof answer>)(method, path, {
      params: { path: options.path ?? {}, query }, body: options.body, headers, signal: options.signal ? AbortSignal.any([options.signal, late]) : late,
    });
  } catch (error) {
    if (options.signal?.aborted) throw error;
    throw unanswered(method !== "get", late.aborted);
  }
  whenAnswered(true);
  whenClockIsSeen(answer.response.headers.get("Bandejo-Demo-Clock"));
  whenPastIsSeen(answer.response.headers.get("Bandejo-As-Of"));
  if (answer.response.ok) return harmless(answer.data) as AnswerOf<OperationOf<P, M>>;
  const problem = (answer.error ?? {}) as Partial<{ title: string; detail: string; findings: Finding[] }>;
  // There a 401 speaks of a password that was typed, not of the session.
  if (answer.response.status === 401 && path !== "/api/v1/session" && path !== "/api/v1/account/password") whenSignedOut();
  // Only what is there already has a revision that somebody would have to name.
  if (answer.response.status === 412 && options.revision === undefined) throw new Refused(412, "There is one already", "One of this name is there already. Take another name, or open that one and change it.");
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
  const late = AbortSignal.timeout(PATIENCE.ask);
  const answer = await fetch(address, { credentials: "same-origin", signal: late }).catch(() => {
    throw unanswered(false, late.aborted);
  });
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
    throw unanswered(true, false);
  }
  const said = (await answer.json().catch(() => ({}))) as A & Partial<{ title: string; detail: string }>;
  if (answer.ok) return said;
  if (answer.status === 401) whenSignedOut();
  throw new Refused(answer.status, said.title ?? "Refused", said.detail ?? `The service answered ${answer.status}.`);
}

/** The address under which a list is fetched as CSV, with what is asked of it. */
export function csvOf(list: string, query: Record<string, string | undefined>): string {
  return `${list}?${new URLSearchParams(Object.entries({ ...query, format: "csv" }).filter((pair): pair is [string, string] => !!pair[1]))}`;
}
