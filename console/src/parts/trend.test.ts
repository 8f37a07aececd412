import { expect, test } from "vitest";
import { nice } from "./Trend";

test("a scale ends above what is drawn, at a number that can be halved", () => {
  expect([1, 2, 3, 7, 11, 45, 420, 1309, 9999].map(nice)).toEqual([2, 2, 4, 8, 20, 60, 600, 2000, 10000]);
});
