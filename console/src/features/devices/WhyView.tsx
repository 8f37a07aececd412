import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { Attempt } from "@/parts/Attempt";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { Moment } from "@/parts/Moment";
import { Empty, Loading } from "@/parts/Page";
import { StateMark } from "@/parts/StateMark";

/** Everything that is asked of a device: its state, why, what comes next, and each try. */
export function WhyView({ details }: { details: Schemas["DeviceDetails"] }) {
  const { device } = details;
  const whys = useQuery({ queryKey: keys.device(device.id, "why"), queryFn: ({ signal }) => request("get", "/api/v1/devices/{device}/why", { path: { device: device.id }, signal }) });
  if (isFailed(whys)) return <ErrorNote error={whys.error} retry={() => void whys.refetch()} />;
  if (!whys.data) return <Loading what="the reasons" />;
  const reached = whys.data.filter((why) => why.target);
  const outside = whys.data.filter((why) => !why.target);
  const order = (state: string) => ["failed", "lost", "contested", "retry", "blocked", "working", "restart", "ready", "unknown", "waiting"].indexOf(state) + 1 || 99;
  return (
    <div className="section">
      {reached.length === 0 && <Empty title="Nothing is asked of it">No deployment that runs reaches it.</Empty>}
      {reached.length > 0 && (
        <div className="sheet">
          {[...reached].sort((a, b) => order(a.target!.state) - order(b.target!.state)).map((why) => (
            <details key={why.deployment} className="why" open={order(why.target!.state) < 5}>
              <summary>
                <StateMark state={why.target!.state} isLate={why.target!.isLate} />
                <span>
                  <strong>{why.target!.deploymentName}</strong>
                  <span className="quiet">
                    {" "}
                    {why.target!.reason}
                    {why.target!.next && (
                      <>
                        {" "}
                        Next <Moment at={why.target!.next} />.
                      </>
                    )}
                  </span>
                </span>
                <span className="quiet">
                  <Moment at={why.target!.since} />
                </span>
              </summary>
              <div className="why-more form">
                <ol className="findings">
                  {why.conditions.map((condition) => (
                    <li key={condition}>It {condition}</li>
                  ))}
                </ol>
                {why.attempts.map((attempt) => (
                  <Attempt key={attempt.id} attempt={attempt} />
                ))}
                <Link to="/deployments/$deployment" params={{ deployment: why.deployment }}>
                  The deployment
                </Link>
              </div>
            </details>
          ))}
        </div>
      )}
      {outside.length > 0 && (
        <details className="section">
          <summary className="quiet">Why it is not in {outside.length === 1 ? "the other deployment" : `the ${outside.length} other deployments`}</summary>
          <ul className="findings">
            {outside.map((why) => (
              <li key={why.deployment}>
                {why.answer} {why.conditions.length > 0 && <span className="quiet">It {why.conditions.join("; it ")}.</span>}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  );
}
