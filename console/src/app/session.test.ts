import { expect, it } from "vitest";
import { whyNot } from "./session";

const tomas = { account: "tomas", roles: ["operator"] };

it("lets who has one of the roles", () => expect(whyNot(tomas, "POST /api/v1/deployments")).toBeNull());
it("tells who has not which role it takes, and whom to ask", () => {
  expect(whyNot(tomas, "POST /api/v1/deployments/{deployment}/approve")).toBe("This takes the role approver; tomas has operator. Ask an administrator.");
  expect(whyNot(tomas, "POST /api/v1/accounts")).toContain("the role administrator;");
});
it("lets administrators do everything", () => expect(whyNot({ account: "root", roles: ["administrator"] }, "POST /api/v1/deployments/{deployment}/approve")).toBeNull());
