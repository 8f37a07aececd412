import { Button, SegmentedControl } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { getRouteApi, useNavigate } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { useSession } from "@/app/session";
import { type EventQuery, Events } from "@/parts/Events";
import { quoted } from "@/parts/format";
import { Page } from "@/parts/Page";
import { AuditProof } from "./AuditProof";
import { FindEvents } from "./FindEvents";

const route = getRouteApi("/journal");
const SAYS: Record<string, string> = {
  journal: "Every decision, by the service or by people, with the figures it was taken on.",
  target: "Every change of a device's state in a deployment.",
  device: "Devices that joined, left, or sent a log.",
  package: "What became of packages.",
  group: "Devices that came into groups and left them.",
  audit: "Who changed what. Each entry is chained to those before it, so that a change or a gap shows.",
};
const TOPICS = [
  { value: "journal", label: "Decisions" },
  { value: "target", label: "Targets" },
  { value: "device", label: "Devices" },
  { value: "package", label: "Packages" },
  { value: "group", label: "Groups" },
  { value: "audit", label: "Audit trail" },
];

/** What was decided and done, newest first, found by what a person remembers of it. */
export default function JournalPage() {
  const search = route.useSearch();
  const go = useNavigate({ from: "/journal" });
  const { forbidden } = useSession();
  const { topic = "journal", ...found } = search;
  const deployments = useQuery({ queryKey: keys.deployments(true), queryFn: ({ signal }) => request("get", "/api/v1/deployments", { query: { all: true }, signal }) });
  const names = new Map(deployments.data?.map((each) => [each.id, each.name]));
  const isAudit = topic === "audit";
  const isShut = isAudit ? forbidden("GET /api/v1/audit") : null;
  const isFound = Object.keys(found).length > 0;
  const options = Object.entries(found).map(([name, value]) => ` --${name} ${quoted(value)}`).join("");
  const set = (query: EventQuery) => void go({ search: { ...query, topic: search.topic ?? "" }, replace: true, resetScroll: false });
  return (
    <Page title="Journal" lead={SAYS[topic]} command={`bandejo journal${topic === "journal" ? "" : ` --topic ${topic}`}${options}`}>
      <div className="toolbar">
        <SegmentedControl aria-label="What of" value={topic} onChange={(value) => void go({ search: { ...found, topic: value === "journal" ? "" : value }, replace: true })} data={TOPICS} />
        {isFound && <Button onClick={() => set({})}>Show all</Button>}
      </div>
      {isShut ? (
        <div className="note"><p>{isShut}</p></div>
      ) : (
        <>
          <FindEvents key={JSON.stringify(found)} found={found} find={set} />
          {isAudit && <AuditProof />}
          <Events key={topic} queryKey={(isAudit ? keys.audit : keys.journal)(topic, found)} query={{ ...found, topic }} isAudit={isAudit} namesOf={names} empty={isFound ? "Nothing fits" : "Nothing is written here yet"} />
        </>
      )}
    </Page>
  );
}
