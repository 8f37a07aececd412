import { notifications } from "@mantine/notifications";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { keys, renew } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Ask, type Question } from "@/parts/Ask";
import { Events } from "@/parts/Events";
import { count } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { isGone, NotYet } from "@/parts/NotYet";
import { Empty, Page } from "@/parts/Page";
import { StateMark } from "@/parts/StateMark";
import { Openings } from "./Openings";
import { SortInto } from "./SortInto";
import { DeviceFacts } from "./DeviceFacts";
import { WhyView } from "./WhyView";

type Details = Schemas["DeviceDetails"];
const route = getRouteApi("/devices/$device");
const crumbs = [{ name: "Devices", to: "/devices" }];

/** One device: what it should have, has and waits for, and why. */
export default function DevicePage() {
  const { device: name } = route.useParams();
  const { view = "", asOf } = route.useSearch();
  const found = useQuery({ queryKey: keys.device(name, "details", asOf ?? ""), queryFn: ({ signal }) => request("get", "/api/v1/devices/{device}", { path: { device: name }, query: { asOf }, signal }), refetchInterval: asOf ? false : 15_000 });
  if (!found.data || isGone(found)) return <NotYet query={found} title={name} what="device" crumbs={crumbs} />;
  const details = found.data;
  const { device } = details;
  return (
    <Page
      title={device.name}
      crumbs={crumbs}
      lead={<Lead details={details} isPast={asOf !== undefined} />}
      command={asOf ? `bandejo device show ${device.name} --as-of ${asOf}` : view === "history" ? `bandejo device history ${device.name}` : `bandejo device ${view === "" ? "why" : "show"} ${device.name}`}
      acts={asOf ? undefined : <DeviceActs device={device} />}
    >
      {device.isUnsorted && <SortInto device={device} />}
      <nav className="tabs" aria-label="Views of this device">
        {[["", `Software · ${details.targets.length}`], ["facts", `Facts · ${details.facts.length}`], ["programs", `Programs · ${details.programs.length}`], ...(asOf ? [] : [["history", "History"]])].map(([key, title]) => (
          <Link key={key} to="." search={{ view: key }} className={`tab ${view === key ? "active" : ""}`} aria-current={view === key ? "page" : undefined} resetScroll={false}>
            {title}
          </Link>
        ))}
      </nav>
      {view === "" && (asOf ? <Stood details={details} /> : <><WhyView details={details} /><Openings details={details} /></>)}
      {view === "facts" && <DeviceFacts details={details} />}
      {view === "programs" && <Programs details={details} />}
      {view === "history" && <Events queryKey={keys.device(device.id, "events")} query={{ device: device.id, topic: "any" }} empty="Nothing happened to it yet" />}
    </Page>
  );
}

/** What was asked of it at a past moment, and how it stood. */
function Stood({ details }: { details: Details }) {
  if (details.targets.length === 0) return <div className="section"><Empty title="Nothing was asked of it then" /></div>;
  return (
    <div className="section sheet scroll-x">
      <table className="plain">
        <thead>
          <tr>
            <th>Deployment</th>
            <th>State</th>
            <th>Why</th>
            <th className="number">Since</th>
          </tr>
        </thead>
        <tbody>
          {details.targets.map((target) => (
            <tr key={target.deployment}>
              <td><Link to="/deployments/$deployment" params={{ deployment: target.deployment }}>{target.deploymentName}</Link></td>
              <td style={{ whiteSpace: "nowrap" }}><StateMark state={target.state} isLate={target.isLate} /></td>
              <td>{target.reason}</td>
              <td className="number"><Moment at={target.since} only="moment" /></td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Lead({ details, isPast }: { details: Details; isPast: boolean }) {
  const { device } = details;
  const what = [device.kind, device.model && `a ${device.model}`, device.os, device.site && `in ${device.site}`].filter(Boolean).join(", ");
  const open = details.targets.filter((target) => !["met", "not-needed", "left", "undone", "choice", "yielded"].includes(target.state));
  return (
    <>
      {open.length === 0 ? <strong>{details.targets.length === 0 ? "Nothing is asked of it. " : "It has all that is asked of it. "}</strong> : <strong>{details.targets.length === 1 ? "The one thing asked of it is open. " : `${count(open.length)} of ${count(details.targets.length)} things asked of it ${open.length === 1 ? "is" : "are"} open. `}</strong>}
      {what && `${what[0]!.toUpperCase()}${what.slice(1)}. `}
      {!isPast && <>Heard from <Moment at={device.lastHeard} otherwise="never since it joined" />. </>}{details.groups.length > 0 && <>In {details.groups.map((slug, at) => <span key={slug}>{at > 0 && ", "}<Link to="/groups/$group" params={{ group: slug }}>{slug}</Link></span>)}.</>}
    </>
  );
}

function DeviceActs({ device }: { device: Schemas["DeviceInfo"] }) {
  const { forbidden } = useSession();
  const queries = useQueryClient();
  const go = useNavigate();
  const [question, setQuestion] = useState<Question | null>(null);
  const call = useMutation({
    mutationFn: () => request("post", "/api/v1/devices/{device}/check-in", { path: { device: device.id } }),
    onSuccess: () => notifications.show({ message: `${device.name} was asked to check in now; it answers within seconds.` }),
    onError: (error) => notifications.show({ title: "Not asked", message: error.message, color: "clay", autoClose: 12_000 }),
    onSettled: () => void renew(queries, `device ${device.id}`, "devices"),
  });
  return (
    <>
      <Act variant="filled" loading={call.isPending} forbidden={forbidden("POST /api/v1/devices/{device}/check-in")} onClick={() => call.mutate()}>
        Check in now
      </Act>
      <Act
        forbidden={forbidden("DELETE /api/v1/devices/{device}")}
        onClick={() =>
          setQuestion({
            title: `Remove ${device.name}`,
            says: <p>The service forgets the device, its targets and its place in groups. Nothing is changed on the device itself; to come back it must join anew.</p>,
            act: "Remove 1 device",
            isDangerous: true,
            command: () => `bandejo device remove ${device.name}`,
            run: async () => {
              await request("delete", "/api/v1/devices/{device}", { path: { device: device.id } });
              await go({ to: "/devices" });
              return `${device.name} was removed.`;
            },
          })
        }
      >
        Remove…
      </Act>
      <Ask question={question} close={() => setQuestion(null)} />
    </>
  );
}

function Programs({ details }: { details: Details }) {
  if (details.programs.length === 0) return <div className="section"><Empty title={details.isInventoryComplete ? "No program is installed" : "It has not said yet what is installed"} /></div>;
  return (
    <div className="section sheet scroll-x">
      <table className="plain">
        <thead>
          <tr>
            <th>Program</th>
            <th>Version</th>
            <th>Known from</th>
          </tr>
        </thead>
        <tbody>
          {details.programs.map((program) => (
            <tr key={program.source + program.name}>
              <td>{program.name}</td>
              <td className="mono">{program.version}</td>
              <td>{program.source === "receipt" ? "a receipt of ours" : "the operating system"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
