import { Drawer } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Command } from "@/parts/Command";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { quoted } from "@/parts/format";
import { Attempt } from "@/parts/Attempt";
import { Loading } from "@/parts/Page";
import { StateMark } from "@/parts/StateMark";
import { RollBackAsk } from "./RollBackAsk";

interface AttemptsDrawerProps {
  it: Schemas["DeploymentInfo"];
  device: string | undefined;
  close: () => void;
}

/** Why a device stands where it stands in a deployment, and each of its tries with its log. */
export function AttemptsDrawer({ it, device, close }: AttemptsDrawerProps) {
  return (
    <Drawer opened={device !== undefined} onClose={close} position="right" size="min(760px, 100%)" title={device ? `${device} in ${it.name}` : ""} closeButtonProps={{ "aria-label": "Close" }}>
      {device && <Tries it={it} device={device} />}
    </Drawer>
  );
}

function Tries({ it, device }: { it: Schemas["DeploymentInfo"]; device: string }) {
  const { forbidden } = useSession();
  const [isAsking, setIsAsking] = useState(false);
  const found = useQuery({
    queryKey: keys.deployment(it.id, "why", device),
    queryFn: ({ signal }) => request("get", "/api/v1/devices/{device}/why", { path: { device }, query: { deployment: it.id }, signal }),
  });
  if (isFailed(found)) return <ErrorNote error={found.error} retry={() => void found.refetch()} />;
  const why = found.data?.[0];
  if (!why) return <Loading what="the tries" />;
  return (
    <div className="form">
      <p>{why.target && <StateMark state={why.target.state} isLate={why.target.isLate} />} {why.target?.reason}</p>
      <ol className="findings">
        {why.conditions.map((condition) => (
          <li key={condition}>{condition}</li>
        ))}
      </ol>
      <Command text={`bandejo device why ${device} --deployment ${quoted(it.name)}`} />
      {why.target && why.target.before != null && why.target.state !== "undone" && (
        <div className="acts">
          <Act forbidden={forbidden("POST /api/v1/deployments/{deployment}/roll-back")} onClick={() => setIsAsking(true)}>
            Roll back this device…
          </Act>
        </div>
      )}
      {isAsking && <RollBackAsk it={it} device={device} close={() => setIsAsking(false)} />}
      {why.attempts.length === 0 && <p className="quiet">It has not begun yet.</p>}
      {why.attempts.map((attempt, at) => (
        <Attempt key={attempt.id} attempt={attempt} isOpen={at === 0} />
      ))}
      <p>
        <Link to="/devices/$device" params={{ device }}>
          All of {device}
        </Link>
      </p>
    </div>
  );
}
