import { expect, it } from "vitest";
import { versionLooks } from "./versions";

it("gives versions the look of how they stand, and the older the paler", () => {
  expect(versionLooks(["ahead", "newest", "behind", "behind", "unknown"])).toEqual(["version-ahead", "version-newest", "version-behind version-pale-0", "version-behind version-pale-1", "version-unknown"]);
});
