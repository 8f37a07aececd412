import { TextInput } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link, useNavigate } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { AppIcon } from "@/parts/AppIcon";
import { ButtonLink } from "@/parts/ButtonLink";
import { ErrorNote } from "@/parts/ErrorNote";
import { count, devices } from "@/parts/format";
import { Empty, Loading, Page } from "@/parts/Page";
import { VersionBar } from "./VersionBar";

type App = Schemas["AppInfo"];
const route = getRouteApi("/apps");

/** The catalogue: every app with its newest package and what versions are out there. */
export default function AppsPage() {
  const search = route.useSearch();
  const go = useNavigate({ from: "/apps" });
  const apps = useQuery({ queryKey: keys.apps, queryFn: ({ signal }) => request("get", "/api/v1/apps", { signal }) });
  const words = (search.words ?? "").toLowerCase().split(/\s+/).filter(Boolean);
  const shown = apps.data?.filter((app) => words.every((word) => `${app.name} ${app.app} ${app.publisher} ${app.category}`.toLowerCase().includes(word)));
  return (
    <Page title="Apps" lead={apps.data && `${count(apps.data.length)} apps with ${count(apps.data.reduce((sum, app) => sum + app.packages.length, 0))} packages.`} command="bandejo app list" acts={<ButtonLink to="/bench" variant="filled">To the bench</ButtonLink>}>
      <div className="toolbar">
        <TextInput className="grow" aria-label="Filter apps" placeholder="Name, publisher or category" value={search.words ?? ""} onChange={(event) => void go({ search: { words: event.currentTarget.value }, replace: true })} />
      </div>
      {apps.error && <ErrorNote error={apps.error} retry={() => void apps.refetch()} />}
      {!apps.data && !apps.error && <Loading what="the apps" />}
      {shown?.length === 0 && (
        <Empty title={words.length > 0 ? "No app fits these words" : "No package is built yet"}>
          {words.length === 0 && (
            <>
              Drop an installer on the <Link to="/bench">bench</Link>, or make a package folder and build it:
              <code>bandejo package new hello &amp;&amp; bandejo package build hello</code>
            </>
          )}
        </Empty>
      )}
      {shown && shown.length > 0 && (
        <div className="sheet scroll-x">
          <table className="plain">
            <thead>
              <tr>
                <th>App</th>
                <th>Newest package</th>
                <th style={{ width: "38%" }}>In the field</th>
              </tr>
            </thead>
            <tbody>
              {shown.map((app) => (
                <tr key={app.app}>
                  <td>
                    <span className="app-name">
                      <AppIcon app={app.app} size={28} />
                      <span>
                        <Link to="/apps/$app" params={{ app: app.app }}>
                          <strong>{app.name}</strong>
                        </Link>
                        <span className="quiet">
                          <br />
                          {app.publisher}
                        </span>
                      </span>
                    </span>
                  </td>
                  <td>
                    <Newest app={app} />
                  </td>
                  <td>
                    <VersionBar versions={app.versions} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Page>
  );
}

function Newest({ app }: { app: App }) {
  const [newest] = app.packages;
  if (!newest) return <span className="quiet">none; seen on {devices(app.versions.reduce((sum, version) => sum + version.count, 0))}</span>;
  return (
    <>
      <Link to="/packages/$digest" params={{ digest: newest.digest }} className="mono">
        {newest.version}
      </Link>{" "}
      <span className="quiet">
        {newest.state}
        {app.packages.length > 1 && ` · ${app.packages.length} packages`}
      </span>
    </>
  );
}
