import type { Schemas } from "@/api/request";

export type Entry = Schemas["AheadEntryInfo"];

/** A day of the page, as `2026-12-01`, with what is on it. */
export interface Day {
  day: string;
  entries: { entry: Entry; /** When on that day, such as `20:00–23:00`; empty for all of it. */ hours: string }[];
}

const MS_A_DAY = 86_400_000;

/** The Monday of the week of a moment, by the reader's own clocks. */
export function mondayOf(now: number): string {
  const at = new Date(now);
  at.setDate(at.getDate() - ((at.getDay() + 6) % 7));
  return dayOf(at);
}

/** A day by the reader's own clocks. */
export function dayOf(at: Date): string {
  return `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, "0")}-${String(at.getDate()).padStart(2, "0")}`;
}

/** A day so many days later. */
export function later(day: string, days: number): string {
  return new Date(Date.parse(`${day}T00:00:00Z`) + days * MS_A_DAY).toISOString().slice(0, 10);
}

/** Puts what is ahead onto its days. What lasts for a day and longer stands on each of them, what goes over midnight on the day on which it begins. */
export function daysOf(from: string, days: number, entries: readonly Entry[]): Day[] {
  const all: Day[] = Array.from({ length: days }, (_, at) => ({ day: later(from, at), entries: [] }));
  for (const entry of entries) {
    if (!entry.to) {
      const at = new Date(entry.from);
      all.find((day) => day.day === dayOf(at))?.entries.push({ entry, hours: `${String(at.getHours()).padStart(2, "0")}:${String(at.getMinutes()).padStart(2, "0")}` });
      continue;
    }
    const [first, begins] = [entry.from.slice(0, 10), entry.from.slice(11, 16)];
    const [end, ends] = [entry.to.slice(0, 10), entry.to.slice(11, 16)];
    const isLong = Date.parse(`${entry.to}Z`) - Date.parse(`${entry.from}Z`) >= MS_A_DAY;
    // An end at midnight belongs to the day before.
    const last = !isLong ? first : ends === "00:00" ? later(end, -1) : end;
    for (const day of all) {
      if (day.day < first || day.day > last) continue;
      const hours = !isLong ? `${begins}–${ends === "00:00" ? "24:00" : ends}` : day.day === first && begins !== "00:00" ? `from ${begins}` : day.day === last && ends !== "00:00" ? `to ${ends}` : "";
      day.entries.push({ entry, hours });
    }
  }
  return all;
}
