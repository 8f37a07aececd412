import { useSyncExternalStore } from "react";

/** The service's clock: its time at a moment of ours, and how fast it runs. A demo clock is neither now nor real time. */
interface Reading {
  theirs: number;
  ours: number;
  speed: number;
  isDemo: boolean;
}

let reading: Reading = { theirs: Date.now(), ours: Date.now(), speed: 1, isDemo: false };
let shown = Date.now();
const watchers = new Set<() => void>();

/** Takes the demo clock from an answer's header: `2026-01-14T10:24:00Z; speed=60`. */
export function seeClock(header: string | null): void {
  const match = header?.match(/^(\S+); speed=([\d.]+)$/);
  if (!match) return;
  const before = now();
  reading = { theirs: Date.parse(match[1]!), ours: Date.now(), speed: Number(match[2]), isDemo: true };

  // What is shown moves once a second, but never a moment longer with another clock than the service's.
  if (Math.abs(now() - before) > 60_000 * Math.max(1, reading.speed)) shown = now();
  for (const watcher of watchers) watcher();
}

/** The service's time now, milliseconds since 1970. */
export function now(): number {
  return reading.theirs + (Date.now() - reading.ours) * reading.speed;
}

let ticking: ReturnType<typeof setInterval> | undefined;

function watch(watcher: () => void): () => void {
  watchers.add(watcher);
  ticking ??= setInterval(() => {
    shown = now();
    for (const each of watchers) each();
  }, 1000);
  return () => {
    watchers.delete(watcher);
    if (watchers.size === 0) {
      clearInterval(ticking);
      ticking = undefined;
    }
  };
}

/** The service's time, renewed every second. */
export function useNow(): number {
  return useSyncExternalStore(watch, () => shown);
}

/** Null where the service goes by the real time. */
export function useDemoSpeed(): number | null {
  return useSyncExternalStore(watch, () => (reading.isDemo ? reading.speed : null));
}
