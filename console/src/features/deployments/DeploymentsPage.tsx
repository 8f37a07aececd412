import { Switch, TextInput } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, useNavigate } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { ButtonLink } from "@/parts/ButtonLink";
import { DeploymentLine } from "@/parts/DeploymentLine";
import { ErrorNote } from "@/parts/ErrorNote";
import { Empty, Loading, Page } from "@/parts/Page";

const route = getRouteApi("/deployments");

/** All deployments, one line and one row of small trays each. */
export default function DeploymentsPage() {
  const search = route.useSearch();
  const go = useNavigate({ from: "/deployments" });
  const { forbidden } = useSession();
  const all = useQuery({ queryKey: keys.deployments(search.all === "yes"), queryFn: ({ signal }) => request("get", "/api/v1/deployments", { query: { all: search.all === "yes" }, signal }) });
  const words = (search.words ?? "").toLowerCase().split(/\s+/).filter(Boolean);
  const shown = all.data?.filter((each) => words.every((word) => `${each.name} ${each.app} ${each.status} ${each.startedBy}`.toLowerCase().includes(word)));
  return (
    <Page
      title="Deployments"
      lead={all.data && said(all.data.map((each) => each.status))}
      command={`bandejo deployment list${search.all ? " --all" : ""}`}
      acts={
        <ButtonLink to="/deployments/new" variant="filled" title={forbidden("POST /api/v1/deployments") ?? undefined}>
          Start a deployment
        </ButtonLink>
      }
    >
      <div className="toolbar">
        <TextInput className="grow" aria-label="Filter deployments" placeholder="Name, app, status or person" value={search.words ?? ""} onChange={(event) => void go({ search: { ...search, words: event.currentTarget.value }, replace: true })} />
        <Switch label="Ended ones too" checked={search.all === "yes"} onChange={(event) => void go({ search: { ...search, all: event.currentTarget.checked ? "yes" : "" }, replace: true })} />
      </div>
      {all.error && <ErrorNote error={all.error} retry={() => void all.refetch()} />}
      {!all.data && !all.error && <Loading what="the deployments" />}
      {shown?.length === 0 && (
        <Empty title={words.length > 0 ? "No deployment fits these words" : "Nothing is deployed yet"}>
          {words.length === 0 && <code>bandejo deployment start APP --to GROUP</code>}
        </Empty>
      )}
      {shown && shown.length > 0 && (
        <div className="sheet">
          <h2 className="visually-hidden">All deployments</h2>
          {shown.map((deployment) => (
            <DeploymentLine key={deployment.id} deployment={deployment} />
          ))}
        </div>
      )}
    </Page>
  );
}

function said(statuses: string[]): string {
  const counts = new Map<string, number>();
  for (const status of statuses) counts.set(status, (counts.get(status) ?? 0) + 1);
  const words: Record<string, string> = { running: "on its way", "rolling-back": "rolling back", standing: "through and on guard" };
  return [...counts].map(([status, number]) => `${number} ${words[status] ?? status}`).join(", ").concat(statuses.length === 0 ? "No deployment runs." : ".");
}
