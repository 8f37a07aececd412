import { describe, expect, it } from "vitest";
import { cells, grid, MOST_CELLS, widths } from "./layout";

describe("cells", () => {
  it("gives each of a few devices a cell, what is done at the bottom and what failed on top", () => {
    expect(cells([{ name: "failed", count: 1 }, { name: "met", count: 3 }, { name: "working", count: 1 }]).map((cell) => cell.state)).toEqual(["met", "met", "met", "working", "failed"]);
  });

  it("stands for all devices, however many there are", () => {
    for (const met of [0, 1, 599, 600, 601, 5_000, 100_000]) {
      const all = cells([{ name: "met", count: met }, { name: "waiting", count: 7 }, { name: "failed", count: 3 }]);
      expect(all.reduce((sum, cell) => sum + cell.devices, 0)).toBe(met + 10);
      expect(all.length).toBeLessThanOrEqual(MOST_CELLS + 3);
    }
  });

  it("shows a single failure among a hundred thousand as a cell of its own", () => {
    const all = cells([{ name: "met", count: 99_999 }, { name: "failed", count: 1 }]);
    expect(all.filter((cell) => cell.state === "failed")).toEqual([{ state: "failed", devices: 1 }]);
    expect(all.length).toBeGreaterThan(500);
  });

  it("leaves no state without a cell, and shares cells when thousands failed", () => {
    const all = cells([{ name: "met", count: 90_000 }, { name: "failed", count: 9_000 }, { name: "unknown", count: 2 }]);
    expect(all.some((cell) => cell.state === "unknown")).toBe(true);
    expect(all.filter((cell) => cell.state === "failed").length).toBeLessThan(80);
  });

  it("is empty for nothing", () => expect(cells([{ name: "met", count: 0 }])).toEqual([]));
});

describe("grid", () => {
  it.each([1, 4, 54, 262, 600])("holds %i cells within its tray", (count) => {
    const { columns, rows, pitch } = grid(count, 180, 106);
    expect(columns * rows).toBeGreaterThanOrEqual(count);
    expect(columns * pitch).toBeLessThanOrEqual(180);
    expect(rows * pitch).toBeLessThanOrEqual(106 + pitch);
  });
});

describe("widths", () => {
  it("fits the whole, keeps the smallest readable, and gives more to more", () => {
    const given = widths([1, 12, 400], 500, 90);
    expect(given.reduce((sum, width) => sum + width, 0)).toBeLessThanOrEqual(500.001);
    expect(Math.min(...given)).toBeGreaterThanOrEqual(90);
    expect(given[2]).toBeGreaterThan(given[1]!);
  });

  it("gives none more than its cells need", () => expect(widths([4, 4], 1000, 60, () => 120)).toEqual([120, 120]));
});
