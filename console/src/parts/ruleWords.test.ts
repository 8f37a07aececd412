import { describe, expect, it } from "vitest";
import { type FactHelp, suggestions } from "./ruleWords";

const facts: FactHelp[] = [
  { name: "kind", type: "text", meaning: "What it is for", values: [{ name: '"desk"', count: 12 }, { name: '"kiosk"', count: 3 }] },
  { name: "memory", type: "size", meaning: "Main memory", values: [] },
  { name: "public", type: "yes-no", meaning: "Used by the public", values: [] },
  { name: 'app "foldline"', type: "version", meaning: "The installed version", values: [{ name: '"7.2.0"', count: 9 }] },
];
const labels = (before: string) => suggestions(before, facts).options.map((option) => option.label);

describe("what may stand next in a rule", () => {
  it("is a fact at the beginning, after a join and in parentheses", () => {
    for (const before of ["", "k", "public and ", "not ", "("]) expect(labels(before)).toContain("kind");
  });
  it("is a comparison that fits the fact's type", () => {
    expect(labels("kind ")).toContain("like");
    expect(labels("memory ")).toContain(">=");
    expect(labels("memory ")).not.toContain("like");
    expect(labels('app "foldline" ')).toContain("is absent");
  });
  it("is a value that devices have, most first", () => {
    expect(labels("kind is ")).toEqual(['"desk"', '"kiosk"']);
    expect(suggestions('kind is "ki', facts).typed).toBe('"ki');
    expect(labels('app "foldline" >= ')).toEqual(['"7.2.0"']);
  });
  it("is a join after a whole condition", () => {
    expect(labels('kind is "desk" ')).toEqual(["and", "or"]);
    expect(labels("public ")).toContain("and");
  });
});
