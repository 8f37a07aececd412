import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { AppIcon } from "@/parts/AppIcon";
import { ButtonLink } from "@/parts/ButtonLink";
import { DeploymentLine } from "@/parts/DeploymentLine";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { bytes, count, devices } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { Empty, Loading, Page } from "@/parts/Page";
import { Trend } from "@/parts/Trend";
import { VersionChart } from "./VersionBar";

const route = getRouteApi("/apps/$app");
const crumbs = [{ name: "Apps", to: "/apps" }];

/** One app: what of it is out there, its packages, its rollouts. */
export default function AppPage() {
  const { app: slug } = route.useParams();
  const apps = useQuery({ queryKey: keys.apps, queryFn: ({ signal }) => request("get", "/api/v1/apps", { signal }) });
  const deployments = useQuery({ queryKey: keys.deployments(true), queryFn: ({ signal }) => request("get", "/api/v1/deployments", { query: { all: true }, signal }) });
  if (isFailed(apps)) return <Page title={slug} crumbs={crumbs}><ErrorNote error={apps.error} retry={() => void apps.refetch()} /></Page>;
  if (!apps.data) return <Page title={slug} crumbs={crumbs}><Loading what="the app" /></Page>;
  const app = apps.data.find((each) => each.app === slug);
  if (!app) return <Page title="No such app" crumbs={crumbs} lead={`There is no app '${slug}'.`}><span /></Page>;
  const all = app.versions.reduce((sum, version) => sum + version.count, 0);
  const its = deployments.data?.filter((each) => each.app === slug);
  return (
    <Page
      title={app.name}
      crumbs={crumbs}
      mark={<AppIcon app={app.app} size={40} />}
      lead={`${app.publisher} · ${app.category}. On ${devices(all)}, in ${app.versions.length === 1 ? "one version" : `${count(app.versions.length)} versions`}.`}
      command={`bandejo app show ${app.app}`}
      acts={<ButtonLink to="/deployments/new" search={{ package: app.app }} variant="filled">Deploy it</ButtonLink>}
    >
      <div className="section columns">
        <section className="sheet">
          <h2 className="pad">Versions in the field</h2>
          {all === 0 ? <p className="pad quiet">No device has it.</p> : <VersionChart versions={app.versions} />}
        </section>
        <section className="sheet">
          <h2 className="pad">Packages</h2>
          <Packages packages={app.packages} />
        </section>
      </div>
      <Trend what="versions" app={app.app} title="Versions from day to day" empty="No device had it on these days" />
      <section className="section">
        <h2>Deployments</h2>
        {its?.length === 0 && <Empty title="It was never deployed" />}
        {its && its.length > 0 && <div className="sheet">{its.map((each) => <DeploymentLine key={each.id} deployment={each} />)}</div>}
      </section>
    </Page>
  );
}

function Packages({ packages }: { packages: readonly Schemas["PackageInfo"][] }) {
  if (packages.length === 0) return <p className="pad quiet">There is no package of it; devices have it from elsewhere.</p>;
  return (
    <div className="scroll-x">
      <table className="plain">
        <thead>
          <tr>
            <th>Version</th>
            <th>Life</th>
            <th>Built</th>
            <th className="number">Size</th>
          </tr>
        </thead>
        <tbody>
          {packages.map((each) => (
            <tr key={each.digest}>
              <td>
                <Link className="mono" to="/packages/$digest" params={{ digest: each.digest }}>
                  {each.version}
                </Link>
              </td>
              <td>{each.state}{each.isLetGo && ", let go"}</td>
              <td>
                {each.builtBy}, <Moment at={each.builtAt} only="moment" />
              </td>
              <td className="number">{bytes(each.size)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
