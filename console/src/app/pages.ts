import { lazyRouteComponent } from "@tanstack/react-router";
import { Refused } from "@/api/request";

/** So long a page is waited for, milliseconds. */
const PATIENCE = 20_000;

const pages: (() => Promise<unknown>)[] = [];

/** A page of its own file. One that cannot be fetched says so in its place; the console stays. */
export function page<T extends Record<string, unknown>, K extends keyof T = "default">(load: () => Promise<T>, name?: K) {
  const loads = () =>
    Promise.race([load(), new Promise<never>((_, late) => setTimeout(late, PATIENCE))]).catch(() => {
      throw new Refused(0, "This page is not here yet", "It could not be fetched: the service does not answer, or has a newer console by now. Try again, or load the console anew.");
    });
  pages.push(loads);
  return lazyRouteComponent(loads, name as never);
}

/** Fetches all pages while nothing else is to be done, so that none is missing when the service is away. */
export function fetchPages(): void {
  const fetchAll = async () => {
    for (const each of pages) await each().catch(() => undefined);
  };
  if ("requestIdleCallback" in window) requestIdleCallback(() => void fetchAll());
  else setTimeout(() => void fetchAll(), 2_000);
}
