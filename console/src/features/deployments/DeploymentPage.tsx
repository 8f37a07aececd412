import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { count, quoted } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { isGone, NotYet } from "@/parts/NotYet";
import { Page } from "@/parts/Page";
import { Trays, type Wave } from "@/parts/trays/Trays";
import { AsStarted } from "./AsStarted";
import { AttemptsDrawer } from "./AttemptsDrawer";
import { CausesView } from "./CausesView";
import { DeploymentActs } from "./DeploymentActs";
import { EventsView } from "./EventsView";
import { TargetsView } from "./TargetsView";

const route = getRouteApi("/deployments/$deployment");
const crumbs = [{ name: "Deployments", to: "/deployments" }];

/** One deployment: where it stands, its trays, what went wrong, every target. */
export default function DeploymentPage() {
  const { deployment: id } = route.useParams();
  const search = route.useSearch();
  const go = useNavigate({ from: "/deployments/$deployment" });
  const { asOf } = search;
  const found = useQuery({ queryKey: keys.deployment(id, "details", asOf ?? ""), queryFn: ({ signal }) => request("get", "/api/v1/deployments/{deployment}", { path: { deployment: id }, query: { asOf }, signal }) });
  if (!found.data || isGone(found)) return <NotYet query={found} title="Deployment" what="deployment" crumbs={crumbs} />;
  const details = found.data;
  const it = details.deployment;
  const view = search.view ?? "targets";
  const targets = it.waves.reduce((sum, wave) => sum + wave.devices, 0);

  function pick(wave: Wave, state?: string) {
    void go({ search: { wave: wave.name, state: state ?? "" }, resetScroll: false });
  }

  return (
    <Page
      title={it.name}
      crumbs={[...crumbs, { name: it.app, to: `/apps/${it.app}` }]}
      lead={<Lead it={it} />}
      command={`bandejo deployment show ${quoted(it.name)}${asOf ? ` --as-of ${asOf}` : ""}`}
      acts={asOf ? undefined : <DeploymentActs key={it.id} it={it} ask={search.ask} asked={() => void go({ search: (now) => ({ ...now, ask: undefined }), replace: true, resetScroll: false })} />}
    >
      <Trays waves={it.waves} onPick={pick} />
      <Trouble details={details} />
      <nav className="tabs" aria-label="Views of this deployment">
        {(
          [
            ["targets", `Targets · ${count(targets)}`],
            ...(asOf ? [] : [["causes", `Causes · ${details.causes.length + (details.harms.length > 0 ? 1 : 0)}`], ["timeline", "Timeline"], ["journal", "Journal"]] as const),
            ["started", "As started"],
          ] as const
        ).map(([key, title]) => (
          <Link key={key} to="." search={{ view: key === "targets" ? "" : key }} className={`tab ${view === key ? "active" : ""}`} aria-current={view === key ? "page" : undefined} resetScroll={false}>
            {title}
          </Link>
        ))}
      </nav>
      {view === "targets" && <TargetsView it={it} />}
      {view === "causes" && <CausesView details={details} />}
      {view === "timeline" && <EventsView deployment={it.id} topic="any" />}
      {view === "journal" && <EventsView deployment={it.id} topic="journal" />}
      {view === "started" && <AsStarted details={details} />}
      <AttemptsDrawer it={it} device={search.device} close={() => void go({ search: (now) => ({ ...now, device: undefined }), resetScroll: false })} />
    </Page>
  );
}

/** The service's sentence, its beginning standing out, and the moment in the reader's own time. */
function Lead({ it }: { it: Schemas["DeploymentInfo"] }) {
  const soaking = it.waves.find((wave) => wave.state === "soaking" && wave.soakUntil);
  return (
    <>
      <strong>{it.lead}</strong>
      {it.sentence.slice(it.lead.length)}
      {soaking && it.status === "running" && (
        <span className="quiet">
          {" "}
          The soak ends <Moment at={soaking.soakUntil} />.
        </span>
      )}
      {it.deadline && (
        <span className="quiet">
          {" "}
          Deadline <Moment at={it.deadline} />.
        </span>
      )}
    </>
  );
}

/** The likely cause before the list. */
function Trouble({ details }: { details: Schemas["DeploymentDetails"] }) {
  const [cause] = details.causes;
  const may = details.mayStillStart;
  if (!cause && may === 0) return null;
  return (
    <div className="note bad">
      <p>
        {cause && (
          <>
            <strong>
              {count(cause.devices)} {cause.devices === 1 ? "device failed." : "devices failed alike."}
            </strong>{" "}
            {cause.what.replace(/\.$/, "")}
            {cause.setApart.length > 0 && (
              <>
                . What sets them apart: <strong>{cause.setApart[0]}</strong>.
              </>
            )}
          </>
        )}
        {may > 0 && (
          <>
            {" "}
            {count(may)} {may === 1 ? "device that has" : "devices that have"} not heard of it may still start{details.leasesEnd && (
              <>
                {" "}
                until <Moment at={details.leasesEnd} />
              </>
            )}
            , by their leases.
          </>
        )}
      </p>
      {cause && (
        <Link to="." search={{ view: "causes" }} resetScroll={false} className="copy">
          {details.causes.length === 1 ? "See the cause" : `See ${details.causes.length} causes`}
        </Link>
      )}
    </div>
  );
}
