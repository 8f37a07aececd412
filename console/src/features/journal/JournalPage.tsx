import { SegmentedControl } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, useNavigate } from "@tanstack/react-router";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { Events } from "@/parts/Events";
import { Page } from "@/parts/Page";

const route = getRouteApi("/journal");
const SAYS: Record<string, string> = {
  journal: "Every decision, by the service or by people, with the figures it was taken on.",
  target: "Every change of a device's state in a deployment.",
  device: "Devices that joined, left, or sent a log.",
  group: "Devices that came into groups and left them.",
  audit: "Who changed what.",
};

/** What was decided and done, newest first. */
export default function JournalPage() {
  const search = route.useSearch();
  const go = useNavigate({ from: "/journal" });
  const { forbidden } = useSession();
  const topic = search.topic ?? "journal";
  const deployments = useQuery({ queryKey: ["deployments", "yes"], queryFn: ({ signal }) => request("get", "/api/v1/deployments", { query: { all: true }, signal }) });
  const names = new Map(deployments.data?.map((each) => [each.id, each.name]));
  const isShut = topic === "audit" ? forbidden("GET /api/v1/audit") : null;
  return (
    <Page title="Journal" lead={SAYS[topic]} command={`bandejo journal${topic === "journal" ? "" : ` --topic ${topic}`}`}>
      <div className="toolbar">
        <SegmentedControl aria-label="What of" value={topic} onChange={(value) => void go({ search: { ...search, topic: value === "journal" ? "" : value }, replace: true })} data={[{ value: "journal", label: "Decisions" }, { value: "target", label: "Targets" }, { value: "device", label: "Devices" }, { value: "group", label: "Groups" }, { value: "audit", label: "Audit trail" }]} />
      </div>
      {isShut ? <div className="note"><p>{isShut}</p></div> : <Events key={topic} queryKey={[topic === "audit" ? "audit" : "journal", topic, search.deployment, search.device]} query={{ topic, deployment: search.deployment, device: search.device }} isAudit={topic === "audit"} namesOf={names} empty="Nothing is written here yet" />}
    </Page>
  );
}
