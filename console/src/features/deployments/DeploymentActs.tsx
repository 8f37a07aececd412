import { Menu } from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { keys, ofDeployment, renew } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import type { Operation } from "@/api/roles";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { CheckInNow } from "@/parts/CheckInNow";
import { Ask, type Question } from "@/parts/Ask";
import { devices, quoted, retried } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { RollBackAsk } from "./RollBackAsk";

type Preview = Schemas["ActPreview"];
type ActName = "approve" | "pause" | "resume" | "advance" | "halt" | "roll-back" | "end" | "retry";

interface ActWords {
  title: string;
  button: (count: number) => string;
  reason: "may" | "must";
  isDangerous?: boolean;
}

const WORDS: Record<ActName, ActWords> = {
  approve: { title: "Approve", button: (count) => (count === 0 ? "Approve the last gate" : `Approve: ${devices(count)} follow`), reason: "may" },
  resume: { title: "Resume", button: (count) => `Resume for ${devices(count)}`, reason: "must" },
  retry: { title: "Try again", button: (count) => `Try again on ${devices(count)}`, reason: "may" },
  pause: { title: "Pause", button: (count) => `Pause: ${devices(count)} wait`, reason: "may" },
  advance: { title: "Pass the gate by hand", button: (count) => (count === 0 ? "Pass the last gate" : `Pass the gate: ${devices(count)} follow`), reason: "must", isDangerous: true },
  halt: { title: "Halt", button: (count) => `Halt: ${devices(count)} do not start`, reason: "must", isDangerous: true },
  "roll-back": { title: "Roll back", button: (count) => `Roll back ${devices(count)}`, reason: "must", isDangerous: true },
  end: { title: "End", button: (count) => `End for ${devices(count)}`, reason: "must", isDangerous: true },
};

const ORDER: ActName[] = ["approve", "resume", "retry", "pause", "roll-back", "advance", "halt", "end"];

interface DeploymentActsProps {
  it: Schemas["DeploymentInfo"];
  /** An act that the address asks about, by which a link leads straight to it. */
  ask: string | undefined;
  asked: () => void;
}

/** What can be done with a deployment now; each shows what it would do before it does it. */
export function DeploymentActs({ it, ask, asked }: DeploymentActsProps) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const [chosen, choose] = useState<Chosen | null>(null);
  const acts = useQuery({ queryKey: keys.deployment(it.id, "acts", it.revision), queryFn: ({ signal }) => request("get", "/api/v1/deployments/{deployment}/acts", { path: { deployment: it.id }, signal }), placeholderData: (before) => before });
  const previews = new Map((acts.data ?? []).map((preview) => [preview.act as ActName, preview]));
  // What a person is asked about is what they saw: it stays as it was when the question was opened, and so does the revision that the answer names.
  const setChosen = (name: ActName | null) => choose(name && previews.has(name) ? { name, preview: previews.get(name)!, it } : null);
  const why = (name: ActName) => forbidden(`POST /api/v1/deployments/{deployment}/${name}` as Operation) ?? previews.get(name)?.notPossible ?? null;

  useEffect(() => {
    if (ask && ask in WORDS && acts.data) {
      if (why(ask as ActName) === null) setChosen(ask as ActName);
      asked();
    }
  }, [ask, acts.data]);

  // What fits the moment stands in the open, the rest in the menu; what only a role is missing for stays to be seen.
  const fitting = ORDER.filter((name) => previews.get(name)?.notPossible == null && previews.has(name));
  const waits = it.waves.some((wave) => wave.state === "wants-approval") && it.status === "running";
  const open = [...(waits ? (["approve"] as const) : []), ...fitting.filter((name) => name === "resume" || name === "pause" || (name === "roll-back" && it.status !== "standing"))];
  const rest = ORDER.filter((name) => !open.includes(name) && previews.has(name));

  return (
    <>
      {it.status !== "ended" && <CheckInNow deployment={it.id} />}
      {open.map((name) => (
        <Act key={name} forbidden={why(name)} variant={name === "approve" || name === "resume" ? "filled" : "default"} onClick={() => setChosen(name)}>
          {name === "roll-back" ? `Roll back ${devices(previews.get(name)!.devices)}…` : `${WORDS[name].title}…`}
        </Act>
      ))}
      {rest.length > 0 && (
        <Menu position="bottom-end" shadow="sm" width={320}>
          <Menu.Target>
            <button type="button" className="more">
              More
            </button>
          </Menu.Target>
          <Menu.Dropdown>
            {rest.map((name) => (
              <Menu.Item key={name} aria-disabled={why(name) !== null} data-off={why(name) !== null || undefined} onClick={() => why(name) === null && setChosen(name)}>
                {WORDS[name].title}
                {why(name) ? <span className="quiet menu-why">{why(name)}</span> : "…"}
              </Menu.Item>
            ))}
          </Menu.Dropdown>
        </Menu>
      )}
      {chosen?.name === "roll-back" && <RollBackAsk it={chosen.it} close={() => setChosen(null)} />}
      <Ask question={chosen && chosen.name !== "roll-back" ? questionOf(chosen, it, () => void renew(queries, ...ofDeployment(it.id))) : null} close={() => setChosen(null)} />
    </>
  );
}

/** What was chosen, with what it was chosen upon. */
interface Chosen {
  name: ActName;
  preview: Preview;
  it: Schemas["DeploymentInfo"];
}

/** What a gate is judged by, for whoever lets it pass. */
function Evidence({ it }: { it: Schemas["DeploymentInfo"] }) {
  const wave = it.waves.find((each) => each.state === "wants-approval") ?? it.waves.find((each) => each.state === "open" || each.state === "soaking");
  if (!wave) return null;
  const failed = wave.states.filter((state) => state.name === "failed" || state.name === "lost").reduce((sum, state) => sum + state.count, 0);
  return (
    <p className="quiet">
      Behind {wave.name}: {wave.met} of {wave.bottom} met, {failed} failed or lost, {wave.harms === 0 ? "no harm reported" : `harm reported on ${devices(wave.harms)}`}
      {wave.reachedAt ? <>; it has held since <Moment at={wave.reachedAt} /></> : null}.
    </p>
  );
}

function questionOf({ name, preview, it }: Chosen, now: Schemas["DeploymentInfo"], done: () => void): Question {
  const words = WORDS[name];
  return {
    title: `${words.title}: ${it.name}`,
    says: (
      <>
        <p>{preview.says}</p>
        {(name === "approve" || name === "advance") && <Evidence it={it} />}
        {now.revision !== it.revision && <p role="alert">Meanwhile something was decided here: {now.sentence} Close this and look again; what you were asked is not done any more.</p>}
      </>
    ),
    act: words.button(preview.devices),
    isDangerous: words.isDangerous,
    reason: words.reason,
    command: (reason) => `bandejo deployment ${name} ${quoted(it.name)} --reason ${quoted(reason)}`,
    run: async (reason) => {
      try {
        if (name === "retry") {
          const answer = await request("post", "/api/v1/deployments/{deployment}/retry", { path: { deployment: it.id }, body: { reason } });
          return retried(answer);
        }
        const answer = await request("post", `/api/v1/deployments/{deployment}/${name}`, { path: { deployment: it.id }, body: { reason }, revision: it.revision });
        return answer.deployment.sentence;
      } finally {
        done();
      }
    },
  };
}
