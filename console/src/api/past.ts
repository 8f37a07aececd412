import { useSearch } from "@tanstack/react-router";
import { useSyncExternalStore } from "react";

/** Said in place of a moment by a link that leads back to now. */
export const NOW = "now";

let seen: number | null = null;
const watchers = new Set<() => void>();

/** Takes from an answer's header of which past moment it is. */
export function seeAsOf(header: string | null): void {
  const at = header === null ? NaN : Date.parse(header);
  if (Number.isNaN(at) || at === seen) return;
  seen = at;
  for (const watcher of watchers) watcher();
}

function watch(watcher: () => void): () => void {
  watchers.add(watcher);
  return () => void watchers.delete(watcher);
}

/** The past moment that the address asks about, as it says it; undefined for now. */
export function useAsOf(): string | undefined {
  return (useSearch({ strict: false }) as { asOf?: string }).asOf;
}

/** That moment, milliseconds since 1970; null for now, or while no answer has said it yet. */
export function usePast(): number | null {
  const asOf = useAsOf();
  const at = useSyncExternalStore(watch, () => seen);
  return asOf === undefined ? null : (momentOf(asOf) ?? at);
}

/** The moment that is meant, where it says it itself; a day is meant by its end. */
export function momentOf(asOf: string): number | null {
  const isDay = /^\d{4}-\d\d-\d\d$/.test(asOf);
  const at = isDay || asOf.includes("T") ? Date.parse(asOf) : NaN;
  return Number.isNaN(at) ? null : isDay ? at + 86_399_999 : at;
}

/** Keeps the moment from one page to the next, among those that can show it, until a link leads back to now. */
export function keepMoment<S extends { asOf?: string }>({ search, next }: { search: S; next: (search: S) => S }): S {
  const result = next(search);
  if (result.asOf === NOW) {
    const { asOf: _, ...rest } = result;
    return rest as S;
  }
  return result.asOf === undefined && search.asOf !== undefined ? { ...result, asOf: search.asOf } : result;
}
