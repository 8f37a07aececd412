import { describe, expect, it } from "vitest";
import { daysOf, type Entry, later, mondayOf } from "./days";

const entry = (change: Partial<Entry>): Entry => ({ kind: "window", name: "Nights", from: "2026-12-01T20:00:00", to: "2026-12-02T04:00:00", zone: null, calendar: "nights", deployment: null, devices: 3, ...change });

describe("the days of the calendar", () => {
  it("begin on the Monday of a week", () => {
    expect(mondayOf(new Date(2026, 11, 1, 12).getTime())).toBe("2026-11-30");
    expect(mondayOf(new Date(2026, 11, 6, 12).getTime())).toBe("2026-11-30");
    expect(later("2026-12-31", 1)).toBe("2027-01-01");
  });

  it("hold what goes over midnight once, and what lasts for days on each of them", () => {
    const days = daysOf("2026-11-30", 7, [entry({}), entry({ kind: "freeze", name: "Inventory", from: "2026-12-03T12:00:00", to: "2026-12-05T00:00:00" })]);
    expect(days.map((day) => day.entries.map((each) => `${each.entry.name} ${each.hours}`))).toEqual([[], ["Nights 20:00–04:00"], [], ["Inventory from 12:00"], ["Inventory "], [], []]);
  });

  it("hold moments by the reader's own clocks", () => {
    const at = new Date(2026, 11, 2, 18, 30);
    const days = daysOf("2026-11-30", 7, [entry({ kind: "deadline", from: at.toISOString(), to: undefined })]);
    expect(days[2]!.entries[0]!.hours).toBe("18:30");
  });
});
