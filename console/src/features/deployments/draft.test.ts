import { describe, expect, it } from "vitest";
import { commandOf, emptyDraft, isComplete, requestOf } from "./draft";

const draft = { ...emptyDraft({ package: "foldline 7.2.0", groups: "desks,studios" }), deadline: "2026-12-01T18:00" };

describe("a deployment in the making", () => {
  it("is complete with package and group", () => {
    expect(isComplete(emptyDraft({}))).toBe(false);
    expect(isComplete(draft)).toBe(true);
    expect(isComplete({ ...draft, waves: [{ name: "", pick: "5 %", gate: "", opensAt: "", hours: "", due: "" }] })).toBe(false);
  });
  it("leaves out what is not chosen, and sends moments as instants", () => {
    const request = requestOf(draft);
    expect(request).toMatchObject({ package: "foldline 7.2.0", groups: ["desks", "studios"], name: null, halt: null, lease: null });
    expect(request.deadline).toBe(new Date("2026-12-01T18:00").toISOString());
    expect(request.waves!.at(-1)).toMatchObject({ pick: "everyone else", gate: null });
  });
  it("keeps set times of waves only while they are asked for", () => {
    const waves = [{ name: "All", pick: "everyone else", gate: "", opensAt: "2026-12-01T18:00", hours: "", due: "" }];
    expect(requestOf({ ...draft, waves }).waves![0]!.opensAt).toBeNull();
    expect(requestOf({ ...draft, waves, hasTimes: true }).waves![0]!.opensAt).toMatch(/Z$/);
  });
  it("reads as the command that starts the same", () => {
    expect(commandOf({ ...draft, deadline: "", except: ["branch-servers"], wish: "gone", waves: [{ name: "It's all", pick: "everyone else", gate: "", opensAt: "", hours: "", due: "" }] })).toBe(
      `bandejo deployment start "foldline 7.2.0" --to desks studios --except branch-servers --wave 'It'\\''s all: everyone else' --gone`,
    );
  });
  it("sends the settings that are chosen, and shows no secret in the command", () => {
    const chosen = { ...draft, preset: "kiosks", settings: { site: "ALD", licence: "rosebud", mode: "" } };
    expect(requestOf(chosen)).toMatchObject({ preset: "kiosks", settings: { site: "ALD", licence: "rosebud" } });
    expect(commandOf(chosen, ["licence"])).toContain("--preset kiosks --setting site=ALD --setting licence=@FILE");
    expect(requestOf({ ...chosen, wish: "gone" })).toMatchObject({ preset: null, settings: null });
    expect(requestOf(draft)).toMatchObject({ preset: null, settings: null, handling: null });
    expect(commandOf({ ...draft, wish: "gone", handling: "after-hours" })).toContain(" --handling after-hours");
  });
});
