import createClient from "openapi-fetch";
import { expect, it } from "vitest";
import type { paths } from "../src/api/schema";

// A client that is made from the description and nothing else, as somebody who automates would make one.
const service = process.env.BANDEJO_SERVICE ?? "";
const client = createClient<paths>({ baseUrl: service, headers: { Authorization: `Bearer ${process.env.BANDEJO_TOKEN}` } });

it("goes through a list page by page", async () => {
  const names: string[] = [];
  let cursor: string | undefined;
  do {
    const { data } = await client.GET("/api/v1/devices", { params: { query: { limit: 2, cursor } } });
    names.push(...data!.items.map((device) => device.name));
    cursor = data!.next ?? undefined;
  } while (cursor);
  expect(names).toEqual(["DESK-1", "DESK-2", "DESK-3"]);
});

it("is told what is wrong as data", async () => {
  const { error, response } = await client.GET("/api/v1/groups/{slug}", { params: { path: { slug: "nothing" } } });
  expect(response.status).toBe(404);
  expect(error!.type).toBe("urn:bandejo:problem:not-found");
  const wrong = await client.POST("/api/v1/groups", { body: { slug: "desks", name: "Desks", rule: "kind is" } });
  expect(wrong.response.status).toBe(422);
  expect(wrong.error!.findings![0]!.column).toBeGreaterThan(0);
});

it("changes what it has read, and is refused where somebody was quicker", async () => {
  const body = { slug: "desks", name: "Desks", rule: 'kind is "desk"' };
  const made = await client.POST("/api/v1/groups", { params: { header: { "Idempotency-Key": '"make-desks"' } }, body });
  const again = await client.POST("/api/v1/groups", { params: { header: { "Idempotency-Key": '"make-desks"' } }, body });
  expect([made.response.status, again.response.status, again.data!.devices]).toEqual([201, 201, 3]);
  const read = await client.GET("/api/v1/groups/{slug}", { params: { path: { slug: "desks" } } });
  const change = (tag: string | null) => client.PUT("/api/v1/groups/{slug}", { params: { path: { slug: "desks" }, header: { "If-Match": tag ?? "" } }, body: { ...body, name: "All desks" } });
  expect((await change(read.response.headers.get("ETag"))).response.status).toBe(200);
  expect((await change(read.response.headers.get("ETag"))).error!.type).toBe("urn:bandejo:problem:stale");
});

it("starts a rollout once, looks at it, and ends it", async () => {
  const start = () => client.POST("/api/v1/deployments", {
    params: { header: { "Idempotency-Key": '"tonight"' } },
    body: { package: "foldline", groups: ["enrolled"], waves: [{ name: "all", pick: "everyone else" }], name: "Tonight" },
  });
  const [first, second] = [await start(), await start()];
  expect(first.data!.status).toBe("running");
  expect(second.data!.id).toBe(first.data!.id);
  const path = { deployment: first.data!.id };
  const targets = await client.GET("/api/v1/deployments/{deployment}/targets", { params: { path } });
  expect(targets.data!.items.map((target) => target.deviceName)).toEqual(["DESK-1", "DESK-2", "DESK-3"]);
  expect((await client.POST("/api/v1/deployments/{deployment}/end", { params: { path }, body: { reason: "it was a test" } })).response.status).toBe(200);
});
