import type { QueryClient } from "@tanstack/react-query";
import type { Happened } from "./events";
import { isOld, touched } from "./keys";

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
    const words = new Set(stale);
    stale.clear();
    void queries.invalidateQueries({ predicate: (query) => isOld(query, words) });
  };

  return (event) => {
    for (const key of touched(event)) stale.add(key);
    timer ??= setTimeout(refresh, Math.max(40, PAUSE - (Date.now() - rested)));
  };
}
