import type { QueryClient } from "@tanstack/react-query";
import type { Happened } from "./events";

/** Between two looks at what has changed, milliseconds: events come in crowds, and each look asks the service. */
const PAUSE = 600;

/** Marks what is on screen as old when something happened to it, at most once a pause. */
export function follow(queries: QueryClient): (event: Happened) => void {
  const stale = new Set<string>();
  let timer: ReturnType<typeof setTimeout> | undefined;
  let rested = 0;

  const refresh = () => {
    timer = undefined;
    rested = Date.now();
    const keys = new Set(stale);
    stale.clear();
    void queries.invalidateQueries({ predicate: (query) => isOld(query.queryKey, keys) });
  };

  return (event) => {
    for (const key of touched(event)) stale.add(key);
    timer ??= setTimeout(refresh, Math.max(40, PAUSE - (Date.now() - rested)));
  };
}

/** What an event makes old. The first word of a query's key says what it is of, the second may name which. */
export function touched(event: Happened): string[] {
  switch (event.topic) {
    case "target":
      return ["today", "deployments", "compliance", "devices", ...named("deployment", event.deployment), ...named("device", event.device)];
    case "journal":
      return ["today", "deployments", "journal", "compliance", ...named("deployment", event.deployment)];
    case "device":
      return ["today", "devices", "service", ...named("device", event.device)];
    case "group":
      return ["groups", ...named("device", event.device)];
    case "package":
      return ["apps", "packages", "today"];
    default:
      return ["audit", "groups", "today", "accounts", "join-codes", "wave-plans", "handlings", ...named("deployment", event.deployment)];
  }
}

function named(kind: string, id: string | null | undefined): string[] {
  return id ? [`${kind} ${id}`] : [];
}

function isOld(key: readonly unknown[], stale: Set<string>): boolean {
  const [kind, id] = key as [string, string | undefined];
  return stale.has(kind) || (id !== undefined && stale.has(`${kind} ${id}`));
}
