import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Happened } from "./events";
import { follow } from "./live";

const event = (change: Partial<Happened>): Happened => ({ number: 1, at: "", topic: "target", what: "", by: null, deployment: null, device: null, text: "", reason: null, ...change });

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

function watched() {
  const queries = new QueryClient();
  for (const key of [["today"], ["deployment", "D1"], ["deployment", "D2"], ["accounts"], ["groups", "desks"]]) queries.setQueryData(key, 1);
  const isOld = (...key: string[]) => queries.getQueryState(key)!.isInvalidated;
  return { hear: follow(queries), isOld, queries };
}

it("makes old what an event is about, and nothing else", () => {
  const { hear, isOld } = watched();
  hear(event({ deployment: "D1" }));
  vi.advanceTimersByTime(1_000);
  expect([isOld("today"), isOld("deployment", "D1"), isOld("deployment", "D2"), isOld("accounts")]).toEqual([true, true, false, false]);
});

it("answers a crowd of events with few looks", () => {
  const { hear, queries } = watched();
  const looked = vi.spyOn(queries, "invalidateQueries");
  for (let at = 0; at < 300; at++) {
    hear(event({ deployment: "D1" }));
    vi.advanceTimersByTime(10);
  }
  vi.advanceTimersByTime(1_000);
  expect(looked.mock.calls.length).toBeGreaterThan(2);
  expect(looked.mock.calls.length).toBeLessThan(8);
});

it("shows a single event well within a second", () => {
  const { hear, isOld } = watched();
  hear(event({ topic: "group" }));
  vi.advanceTimersByTime(700);
  expect(isOld("groups", "desks")).toBe(true);
});
