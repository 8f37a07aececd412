import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { now, seeClock } from "./clock";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

it("goes by the service's demo clock, at its speed", () => {
  seeClock("2026-01-14T10:24:00Z; speed=60");
  expect(new Date(now()).toISOString()).toBe("2026-01-14T10:24:00.000Z");
  vi.advanceTimersByTime(1_000);
  expect(new Date(now()).toISOString()).toBe("2026-01-14T10:25:00.000Z");
});

it("stays as it is where an answer says nothing of a clock", () => {
  seeClock("2026-01-14T10:24:00Z; speed=0");
  seeClock(null);
  seeClock("nonsense");
  vi.advanceTimersByTime(5_000);
  expect(new Date(now()).toISOString()).toBe("2026-01-14T10:24:00.000Z");
});
