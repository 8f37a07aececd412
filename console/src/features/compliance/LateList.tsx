import { Button } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { csvOf, request } from "@/api/request";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { count } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Empty, Loading } from "@/parts/Page";
import { StateMark } from "@/parts/StateMark";

const MOST = 1_000;
const route = getRouteApi("/compliance");

/** The devices behind a figure. */
export function LateList() {
  const { only, deployment, app, group, asOf } = route.useSearch();
  const query = { only, deployment, app, group, asOf };
  const found = useQuery({ queryKey: keys.complianceTargets(query), queryFn: ({ signal }) => request("get", "/api/v1/compliance/targets", { query, signal }) });
  const csv = csvOf("/api/v1/compliance/targets", query);
  if (isFailed(found)) return <ErrorNote error={found.error} retry={() => void found.refetch()} />;
  if (!found.data) return <Loading what="the devices" />;
  const { items } = found.data;
  return (
    <section className="section">
      <div className="toolbar">
        <h2 className="grow">
          {count(items.length)} {only ?? "targets"}
          {[deployment && items[0]?.deploymentName, app, group].filter(Boolean).map((each) => ` in ${each}`)}
        </h2>
        <Button component="a" href={csv} download={`${only ?? "targets"}.csv`}>
          Export these
        </Button>
        <Link to="/compliance" search={{}}>
          Back to the figures
        </Link>
      </div>
      {items.length === 0 && <Empty title="None">Nothing stands behind this figure any more.</Empty>}
      {items.length > 0 && (
        <div className="sheet scroll-x">
          <table className="plain">
            <thead>
              <tr>
                <th>Device</th>
                <th>Deployment</th>
                <th>State</th>
                <th>Why</th>
                <th className="number">Since</th>
              </tr>
            </thead>
            <tbody>
              {items.slice(0, MOST).map((target) => (
                <tr key={target.deployment + target.device}>
                  <td><Link className="name" to="/devices/$device" params={{ device: target.deviceName }}>{target.deviceName}</Link></td>
                  <td><Link to="/deployments/$deployment" params={{ deployment: target.deployment }}>{target.deploymentName}</Link></td>
                  <td style={{ whiteSpace: "nowrap" }}><StateMark state={target.state} isLate={target.isLate} /></td>
                  <td>{target.reason}</td>
                  <td className="number"><Moment at={target.since} only="moment" /></td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {items.length > MOST && <p className="quiet">The first {count(MOST)} of {count(items.length)}; the export has all.</p>}
    </section>
  );
}
