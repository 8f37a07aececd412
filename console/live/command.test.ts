import { execFileSync } from "node:child_process";
import { expect, it } from "vitest";
import { commandOf, type Draft, emptyDraft, requestOf } from "../src/features/deployments/draft";

// The command that the console shows starts what the console would start: both are asked for their preview.
const service = process.env.BANDEJO_SERVICE ?? "";
const base = emptyDraft({ package: "foldline 7.2.0", groups: "enrolled" });
const in3Days = new Date(Date.now() + 3 * 86_400_000).toISOString().slice(0, 16);

const drafts: Record<string, Draft> = {
  "as it comes": base,
  "with names that the shell and the command line would take apart": { ...base, name: `Tomás's "big" $HOME; one`, waves: [{ name: "Pilots: the first; of all", pick: "1 device", gate: "100 % met for 1 d, then approval", opensAt: "", hours: "", due: "" }, { name: "It's the rest", pick: "everyone else", gate: "", opensAt: "", hours: "", due: "" }] },
  "with set times": { ...base, hasTimes: true, waves: base.waves.map((wave) => ({ ...wave, opensAt: in3Days })) },
  "with hours, restarts and a deadline that acts": { ...base, hasTimes: true, waves: base.waves.map((wave) => ({ ...wave, hours: "Mon-Thu 08:00-16:00 or Sat 08:00-12:00" })), deadline: in3Days, afterDeadline: "start", restart: "in the next window, at the latest after 3 d", startWhen: "with nobody signed in, on mains power" },
  "with all that can be chosen": { ...base, except: ["pilots"], halt: "20 % failed of at least 3", deadline: in3Days, afterDeadline: "close", notice: "1 h", tries: 5, retryPause: "30m", lease: "2d", priority: 7, rollBackOnHalt: true, allowDowngrade: true, endWhenReplaced: true, handling: "none" },
  "as a choice": { ...base, wish: "choice" },
  "to be gone": { ...base, wish: "gone" },
};

it.each(Object.entries(drafts))("starts the same %s", async (_, draft) => {
  const answer = await fetch(`${service}/api/v1/deployments/preview`, { method: "POST", headers: { Authorization: `Bearer ${process.env.BANDEJO_TOKEN}`, "Content-Type": "application/json" }, body: JSON.stringify(requestOf(draft)) });
  const asked = (await answer.json()) as { reached: number };
  expect(answer.status).toBe(200);
  const said = execFileSync("sh", ["-c", `${commandOf(draft)} --preview -o json`], { env: { ...process.env, PATH: `${process.env.BANDEJO_BIN}:${process.env.PATH}` }, encoding: "utf8" });
  expect(JSON.parse(said)).toEqual(asked);
  expect(asked.reached).toBeGreaterThan(0);
});
