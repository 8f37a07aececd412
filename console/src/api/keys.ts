import type { QueryClient } from "@tanstack/react-query";
import type { Happened } from "./events";

/**
 * Under which keys answers are kept, all of them. The first word says of what an answer is, the second of which one; the rest how it was asked. Whatever
 * happens makes old by these words what it is about, and nothing else.
 */
export const keys = {
  accounts: ["accounts"],
  ahead: (from: string) => ["calendars", "ahead", from],
  apps: ["apps"],
  attemptLog: (attempt: string) => ["log", attempt],
  audit: (...asked: unknown[]) => ["audit", "events", ...asked],
  bench: ["bench"],
  benchDraft: (draft: string) => ["bench", draft],
  calendarCheck: (asked: unknown) => ["calendar-check", asked],
  calendars: ["calendars"],
  clock: ["clock"],
  compliance: (by: string, asOf?: string) => ["compliance", by, asOf ?? ""],
  complianceTargets: (query: unknown) => ["compliance", "targets", query],
  deployment: (id: string, ...what: unknown[]) => ["deployment", id, ...what],
  deployments: (isAll: boolean) => ["deployments", isAll ? "all" : "active"],
  device: (nameOrId: string, ...what: unknown[]) => ["device", nameOrId, ...what],
  devices: (...asked: unknown[]) => ["devices", "list", ...asked],
  deviceTrial: (device: string | null) => ["device-trial", device],
  devicesFound: (words: string) => ["devices", "found", words],
  facts: ["facts"],
  group: (slug: string | null, ...what: unknown[]) => ["group", slug, ...what],
  groups: ["groups"],
  handlingReach: (asked: unknown) => ["handling-reach", asked],
  handlings: ["handlings"],
  joinCodes: ["join-codes"],
  journal: (...asked: unknown[]) => ["journal", "events", ...asked],
  keeping: ["keeping"],
  package: (digest: string, ...what: unknown[]) => ["package", digest, ...what],
  preview: (asked: unknown) => ["preview", asked],
  rollBackPreview: (deployment: string, ...asked: unknown[]) => ["roll-back", deployment, ...asked],
  rule: (text: string, what: "check" | "preview") => ["rule", what, text],
  service: ["service"],
  today: ["today"],
  tokens: (account?: string) => (account === undefined ? ["tokens"] : ["tokens", account]),
  trend: (what: string, app: string | undefined, days: string) => ["trend", what, app ?? "", days],
  wavePlans: ["wave-plans"],
} as const;

/** What is of all deployments at once. */
const ROLLOUTS = ["today", "deployments", "compliance", "devices"];

/** What an entry of the audit trail makes old, by the beginning of what it says happened. */
const AUDITED: readonly (readonly [beginning: string, words: readonly string[]])[] = [
  ["account-", ["accounts"]],
  ["bench-", ["bench", "apps"]],
  ["deployment-", ["today", "deployments", "calendars"]],
  ["calendar-", ["calendars"]],
  ["device-", ["today", "devices", "groups", "service"]],
  ["group-", ["groups", "calendars", "today", "devices"]],
  ["handling-", ["handlings"]],
  ["join-code-", ["join-codes"]],
  ["package-", ["apps", "package", "bench", "today", "deployments"]],
  ["sign", ["accounts", "tokens"]],
  ["token-", ["tokens"]],
  ["trial-", ["device-trial", "package"]],
  ["wave-plan-", ["wave-plans"]],
];

/** What an event makes old, in words as {@link isOld} reads them: of a kind, or of one ("deployment D1001"). */
export function touched(event: Happened): string[] {
  switch (event.topic) {
    case "target":
      return [...ROLLOUTS, ...one("deployment", event.deployment), ...one("device", event.device)];
    case "journal":
      return [...ROLLOUTS, "journal", ...one("deployment", event.deployment)];
    case "device":
      return ["today", "devices", "service", ...one("device", event.device)];
    case "group":
      return ["groups", "group", ...one("device", event.device)];
    case "package":
      return ["apps", "package", "today"];
    default:
      return ["audit", ...AUDITED.filter(([beginning]) => event.what.startsWith(beginning)).flatMap(([, words]) => words), ...one("deployment", event.deployment), ...one("device", event.device)];
  }
}

/** Whether an answer is old by such words. */
export function isOld({ queryKey, state }: { queryKey: readonly unknown[]; state: { data?: unknown } }, stale: ReadonlySet<string>): boolean {
  const [kind, which] = queryKey as [string, string | undefined];
  // A device's page is asked for by its name, and events name devices by their identities.
  const identity = kind === "device" ? (state.data as { device?: { id?: string } } | undefined)?.device?.id : undefined;
  return stale.has(kind) || [which, identity].some((each) => each !== undefined && stale.has(`${kind} ${each}`));
}

/** Has what is old by such words asked for again, where it is on screen. */
export function renew(queries: QueryClient, ...words: string[]): Promise<void> {
  const stale = new Set(words);
  return queries.invalidateQueries({ predicate: (query) => isOld(query, stale) });
}

/** What somebody makes old who acts on a deployment. */
export const ofDeployment = (id: string): string[] => [...ROLLOUTS, ...one("deployment", id)];

/** What somebody makes old who moves devices between groups: rollouts take them in and let them go. */
export const OF_MEMBERS: readonly string[] = [...ROLLOUTS, "deployment", "device", "group", "groups"];

/** What somebody makes old who moves a package. */
export const OF_PACKAGES: readonly string[] = ["apps", "bench", "deployment", "deployments", "package", "today"];

function one(kind: string, id: string | null | undefined): string[] {
  return id ? [`${kind} ${id}`] : [];
}
