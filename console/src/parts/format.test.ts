import { describe, expect, it } from "vitest";
import { bytes, devices, duration, moment, percent, quoted, relative, share } from "./format";

const now = Date.parse("2026-01-14T10:00:00Z");
const HOUR = 3_600_000;

describe("shares", () => {
  it("carry their counts", () => expect(share(403, 420)).toBe("96 % · 403 of 420"));
  it("never round up to all while one is missing", () => expect(percent(99_999, 100_000)).toBe("99 %"));
  it("never round down to none while one is there", () => expect(percent(1, 100_000)).toBe("1 %"));
  it("of nothing are not numbers", () => expect([share(0, 0), percent(0, 0)]).toEqual(["none of 0", "–"]));
  it("say one device as one", () => expect([devices(1), devices(2)]).toEqual(["1 device", "2 devices"]));
});

describe("times", () => {
  it.each([[40_000, "40 s"], [26 * 60_000, "26 min"], [3 * HOUR + 600_000, "3 h 10 min"], [2 * HOUR, "2 h"], [50 * HOUR, "2 d 2 h"], [400 * HOUR, "16 d"]])("say %i ms as %s", (length, said) => expect(duration(length)).toBe(said));
  it("say how far away, both ways", () => expect([relative(now + HOUR, now), relative(now - HOUR, now), relative(now + 1, now)]).toEqual(["in 1 h", "1 h ago", "now"]));
  it("name the weekday only within a week", () => {
    expect(moment(now + 26 * HOUR, now)).toMatch(/^Thu/);
    expect(moment(now + 300 * HOUR, now)).toMatch(/26|Jan/);
  });
});

it("sizes have their unit", () => expect([bytes(684), bytes(188_000_000)]).toEqual(["684 B", "188 MB"]));

describe("words for a shell", () => {
  it("are quoted where they must be", () => {
    expect(quoted("foldline")).toBe("foldline");
    expect(quoted("foldline 7.2.0")).toBe('"foldline 7.2.0"');
    expect(quoted('kind is "kiosk"')).toBe("'kind is \"kiosk\"'");
    expect(quoted(`it's "$HOME"`)).toBe(`'it'\\''s "$HOME"'`);
  });
});
