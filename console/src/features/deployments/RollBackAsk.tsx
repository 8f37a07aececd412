import { Checkbox, Select } from "@mantine/core";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { keys, ofDeployment, renew } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { Ask, type Question } from "@/parts/Ask";
import { ErrorNote } from "@/parts/ErrorNote";
import { devices, quoted } from "@/parts/format";

interface RollBackAskProps {
  it: Schemas["DeploymentInfo"];
  /** Only this device; its name. */
  device?: string | undefined;
  close: () => void;
}

/** Asks for a roll back: who goes back to what, who cannot and why, and what would put it there again. */
export function RollBackAsk({ it, device, close }: RollBackAskProps) {
  const queries = useQueryClient();
  const [wave, setWave] = useState<string | null>(null);
  const [pauses, setPauses] = useState(false);
  const which = device ? { devices: [device] } : wave ? { wave } : {};
  // Its own name, so that what a person was shown stays until they choose anew; the answer names the revision that it was shown for.
  const found = useQuery({ queryKey: keys.rollBackPreview(it.id, device ?? "", wave ?? ""), queryFn: ({ signal }) => request("post", "/api/v1/deployments/{deployment}/roll-back/preview", { path: { deployment: it.id }, body: { ...which, pauseOthers: pauses }, signal }), gcTime: 0, retry: false });
  const preview = found.data;
  const question: Question = {
    title: `Roll back: ${device ? `${device} in ` : ""}${it.name}`,
    says: (
      <>
        {!device && it.waves.length > 1 && (
          <Select
            label="Which"
            data={[{ value: "", label: "All that it changed" }, ...it.waves.map((each) => ({ value: each.name, label: `Wave ${each.name} · ${devices(each.devices)}` }))]}
            value={wave ?? ""}
            onChange={(chosen) => setWave(chosen || null)}
            allowDeselect={false}
          />
        )}
        {found.error && <ErrorNote error={found.error} retry={() => void found.refetch()} />}
        {!preview && !found.error && <p className="quiet">Working out who goes back to what …</p>}
        {preview && <WhoGoes preview={preview} />}
        {preview && preview.again.length > 0 && (
          <div className="note">
            <p>{preview.again.map((again) => again.says).join(" ")}</p>
            <Checkbox label={`Pause ${preview.again.length === 1 ? "it" : "them"} with this`} checked={pauses} onChange={(event) => setPauses(event.currentTarget.checked)} />
          </div>
        )}
      </>
    ),
    act: preview ? `Roll back ${devices(preview.devices)}` : "Roll back",
    isDangerous: true,
    isHeld: !preview || preview.notPossible != null,
    reason: "must",
    command: (reason) => `bandejo deployment roll-back ${quoted(it.name)}${device ? ` --device ${device}` : wave ? ` --wave ${quoted(wave)}` : ""}${pauses ? " --pause-others" : ""} --reason ${quoted(reason)}`,
    run: async (reason) => {
      try {
        const answer = await request("post", "/api/v1/deployments/{deployment}/roll-back", { path: { deployment: it.id }, body: { ...which, reason, pauseOthers: pauses }, revision: preview!.revision });
        return answer.deployment.sentence;
      } finally {
        void renew(queries, ...ofDeployment(it.id));
      }
    },
  };
  return <Ask question={question} close={close} />;
}

function WhoGoes({ preview }: { preview: Schemas["RollBackPreview"] }) {
  if (preview.parts.length === 0) return <p>{preview.notPossible}</p>;
  return (
    <>
      {preview.notPossible != null && <p role="alert">{preview.notPossible}</p>}
      <ul className="findings">
        {preview.parts.map((part) => (
          <li key={part.says}>
            {part.kind === "impossible" ? <strong>{part.says}</strong> : part.says}
            <div className="quiet">
              {part.sample.slice(0, 6).join(", ")}
              {part.devices > Math.min(6, part.sample.length) && " …"}
            </div>
          </li>
        ))}
      </ul>
    </>
  );
}
