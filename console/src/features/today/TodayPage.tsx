import { useQuery } from "@tanstack/react-query";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { ButtonLink } from "@/parts/ButtonLink";
import { DeploymentLine } from "@/parts/DeploymentLine";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { Moment } from "@/parts/Moment";
import { Empty, Loading, Page } from "@/parts/Page";

type Need = Schemas["NeedInfo"];

const KINDS: Record<string, string> = {
  halted: "Halted",
  harm: "Harm",
  contested: "Contested",
  approval: "Approval",
  "out-of-reach": "Out of reach",
  "takes-long": "Takes long",
  silent: "Silent",
  "empty-wave": "Empty wave",
  failures: "Failed",
  late: "Late",
  overrun: "Takes long",
  unsorted: "Unsorted",
  replaced: "Replaced",
};

/** What needs somebody, and what is moving. */
export default function TodayPage() {
  const today = useQuery({ queryKey: keys.today, queryFn: ({ signal }) => request("get", "/api/v1/today", { signal }) });
  if (isFailed(today)) return <Page title="Today"><ErrorNote error={today.error} retry={() => void today.refetch()} /></Page>;
  if (!today.data) return <Page title="Today"><Loading what="what needs somebody" /></Page>;
  const { needs, moving } = today.data;
  return (
    <Page title="Today" lead={lead(needs.length, moving.length)} command="bandejo today">
      <section className="section" aria-labelledby="needs">
        <h2 id="needs">Needs somebody</h2>
        {needs.length === 0 ? (
          <Empty title="Nothing needs you now">What fails, halts, waits for approval or is late stands here first.</Empty>
        ) : (
          <div className="sheet">
            {needs.map((need) => (
              <NeedLine key={need.kind + need.title} need={need} />
            ))}
          </div>
        )}
      </section>
      <section className="section" aria-labelledby="moving">
        <h2 id="moving">Moving</h2>
        {moving.length === 0 ? (
          <Empty title="Nothing is on its way">
            <code>bandejo deployment start APP --to GROUP</code>
            <ButtonLink to="/deployments/new">
              Start a deployment
            </ButtonLink>
          </Empty>
        ) : (
          <div className="sheet">
            {moving.map((deployment) => (
              <DeploymentLine key={deployment.id} deployment={deployment} />
            ))}
          </div>
        )}
      </section>
    </Page>
  );
}

function lead(needs: number, moving: number): string {
  const first = needs === 0 ? "Nothing needs you." : needs === 1 ? "One thing needs somebody." : `${needs} things need somebody, the most urgent first.`;
  return `${first} ${moving === 0 ? "No rollout is on its way." : moving === 1 ? "One rollout is on its way." : `${moving} rollouts are on their way.`}`;
}

function NeedLine({ need }: { need: Need }) {
  return (
    <article className={`need need-${need.kind}`}>
      <div>
        <div className="need-kind">{KINDS[need.kind] ?? need.kind}</div>
        {need.since && (
          <div className="need-since">
            <Moment at={need.since} only="relative" />
          </div>
        )}
      </div>
      <div>
        <h3>{need.title}</h3>
        <p>{need.detail}</p>
      </div>
      <NeedButton need={need} />
    </article>
  );
}

/** Each line leads to where it is dealt with. */
function NeedButton({ need }: { need: Need }) {
  const { forbidden } = useSession();
  const deployment = need.deployment ?? "";
  switch (need.kind) {
    case "unsorted":
      return <ButtonLink to="/devices" search={{ filter: "unsorted" }}>Sort {need.devices}</ButtonLink>;
    case "approval":
      if (forbidden("POST /api/v1/deployments/{deployment}/approve")) break;
      return <ButtonLink to="/deployments/$deployment" params={{ deployment }} search={{ ask: "approve" }} variant="filled">Look and approve</ButtonLink>;
    case "replaced":
      if (forbidden("POST /api/v1/deployments/{deployment}/end")) break;
      return <ButtonLink to="/deployments/$deployment" params={{ deployment }} search={{ ask: "end" }}>Look and end it</ButtonLink>;
    case "late":
      return <ButtonLink to="/compliance" search={{ only: "late", deployment }}>See the {need.devices}</ButtonLink>;
    case "silent":
      return <ButtonLink to="/deployments/$deployment" params={{ deployment }} search={{ state: "ready,retry,unknown", sort: "since" }}>See the {need.devices}</ButtonLink>;
    case "takes-long":
      return <ButtonLink to="/deployments/$deployment" params={{ deployment }} search={{ state: "working" }}>See the {need.devices}</ButtonLink>;
    case "contested":
    case "failures":
      return <ButtonLink to="/deployments/$deployment" params={{ deployment }} search={{ state: need.kind === "failures" ? "failed,lost" : "contested" }}>See the {need.devices}</ButtonLink>;
  }
  return <ButtonLink to="/deployments/$deployment" params={{ deployment }}>Look into it</ButtonLink>;
}
