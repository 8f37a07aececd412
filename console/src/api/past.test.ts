import { expect, test } from "vitest";
import { keepMoment, momentOf, NOW } from "./past";

test("a day is meant by its end, an instant by itself, and how long ago only the service can say", () => {
  expect(momentOf("2026-11-20")).toBe(Date.parse("2026-11-20T23:59:59.999Z"));
  expect(momentOf("2026-11-20T10:00:00Z")).toBe(Date.parse("2026-11-20T10:00:00Z"));
  expect(momentOf("3d")).toBeNull();
});

test("the moment stays from page to page until a link leads to another or back to now", () => {
  const kept = (search: { asOf?: string; view?: string }, link: { asOf?: string; view?: string }) => keepMoment({ search, next: () => link });
  expect(kept({ asOf: "2026-11-20" }, { view: "facts" })).toEqual({ asOf: "2026-11-20", view: "facts" });
  expect(kept({ asOf: "2026-11-20" }, { asOf: "2026-11-19" })).toEqual({ asOf: "2026-11-19" });
  expect(kept({ asOf: "2026-11-20", view: "facts" }, { asOf: NOW, view: "facts" })).toEqual({ view: "facts" });
  expect(kept({}, { view: "facts" })).toEqual({ view: "facts" });
});
