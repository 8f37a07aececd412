import { useQuery } from "@tanstack/react-query";
import { getRouteApi, Link } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { Events } from "@/parts/Events";
import { count, devices } from "@/parts/format";
import { CheckInNow } from "@/parts/CheckInNow";
import { isGone, NotYet } from "@/parts/NotYet";
import { Page } from "@/parts/Page";
import { GroupEditor } from "./GroupEditor";
import { MembersView } from "./MembersView";

const route = getRouteApi("/groups/$group");
const crumbs = [{ name: "Groups", to: "/groups" }];

/** One group: its rule while it is edited, its devices, who came and went. */
export default function GroupPage() {
  const { group: slug } = route.useParams();
  const { view = "", asOf } = route.useSearch();
  const found = useQuery({ queryKey: keys.group(slug, "details", asOf ?? ""), queryFn: ({ signal }) => request("get", "/api/v1/groups/{slug}", { path: { slug }, query: { asOf }, signal }) });
  if (!found.data || isGone(found)) return <NotYet query={found} title={slug} what="group" crumbs={crumbs} />;
  const group = found.data;
  return (
    <Page
      title={group.name}
      crumbs={crumbs}
      lead={
        <>
          <strong>{devices(group.devices)}.</strong>{" "}
          {group.rule ? "Its rule says who is in it, and follows what devices report." : "It is listed by hand."}
          {group.notKnown > 0 && ` For ${count(group.notKnown)} more it is not known yet; they are not in it.`}
          {group.unreadable && ` Nobody is known to be in it: ${group.unreadable}. Change its rule.`}
          {(group.calendars ?? []).length > 0 && <> Its devices are ruled by <Link to="/calendar">{group.calendars!.join(", ")}</Link>.</>}
          {group.fetch && ` Its devices fetch files: ${group.fetch}.`}
          {group.isForTesting && " It is for testing: packages that are not released may reach it."}
        </>
      }
      acts={asOf ? undefined : <CheckInNow group={group.slug} />}
      command={`bandejo group show ${group.slug}${asOf ? ` --as-of ${asOf}` : ""}`}
    >
      <nav className="tabs" aria-label="Views of this group">
        {[["", group.rule ? "Rule" : "Settings"], ["devices", `Devices · ${count(group.devices)}`], ...(asOf ? [] : [["moves", "Who came and went"]])].map(([key, title]) => (
          <Link key={key} to="." search={{ view: key }} className={`tab ${view === key ? "active" : ""}`} aria-current={view === key ? "page" : undefined}>
            {title}
          </Link>
        ))}
      </nav>
      {view === "" && (asOf ? <div className="section sheet pad">{group.rule ? <code>{group.rule}</code> : "It was listed by hand."}</div> : <GroupEditor key={group.slug} group={group} />)}
      {view === "devices" && <MembersView group={group} />}
      {view === "moves" && <Events queryKey={keys.group(slug, "moves")} query={{ group: slug }} empty="Nobody came or went since this is written down" />}
    </Page>
  );
}

/** A group in the making. */
export function NewGroupPage() {
  return (
    <Page title="Make a group" crumbs={crumbs} lead="By a rule that follows what devices report, or listed by hand.">
      <GroupEditor group={null} />
    </Page>
  );
}
