import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import type { Happened } from "./events";
import { follow } from "./live";

const event = (change: Partial<Happened>): Happened => ({ number: 1, at: "", topic: "target", what: "", by: null, deployment: null, device: null, text: "", reason: null, ...change });

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

function watched() {
  const queries = new QueryClient();
  for (const key of [["today"], ["deployment", "D1"], ["deployment", "D2"], ["accounts"], ["group", "desks"], ["join-codes"], ["devices", "list"]]) queries.setQueryData(key, 1);
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
  expect(isOld("group", "desks")).toBe(true);
});

it("has of the audit trail only that asked again which an entry is about", () => {
  const { hear, isOld } = watched();
  hear(event({ topic: "audit", what: "account-changed" }));
  vi.advanceTimersByTime(1_000);
  expect([isOld("accounts"), isOld("join-codes"), isOld("group", "desks"), isOld("today")]).toEqual([true, false, false, false]);
});

it("knows the page of a device, which is asked for by name, by the device's identity", () => {
  const { hear, queries } = watched();
  queries.setQueryData(["device", "DESK-1"], { device: { id: "a1" } });
  queries.setQueryData(["device", "DESK-2"], { device: { id: "a2" } });
  hear(event({ topic: "device", device: "a2" }));
  vi.advanceTimersByTime(1_000);
  expect(["DESK-1", "DESK-2"].map((name) => queries.getQueryState(["device", name])!.isInvalidated)).toEqual([false, true]);
});
