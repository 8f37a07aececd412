import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { keys } from "@/api/keys";
import { request } from "@/api/request";
import { ButtonLink } from "@/parts/ButtonLink";
import { ErrorNote } from "@/parts/ErrorNote";
import { count } from "@/parts/format";
import { Empty, Loading, Page } from "@/parts/Page";

/** All groups with how they are made and how many devices they hold. */
export default function GroupsPage() {
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  return (
    <Page title="Groups" lead={groups.data && `${count(groups.data.length)} groups; deployments are aimed at them.`} command="bandejo group list" acts={<ButtonLink to="/groups/new" variant="filled">Make a group</ButtonLink>}>
      {groups.error && <ErrorNote error={groups.error} retry={() => void groups.refetch()} />}
      {!groups.data && !groups.error && <Loading what="the groups" />}
      {groups.data?.length === 0 && (
        <Empty title="There is no group yet">
          <code>bandejo group new desks --rule 'kind is "desk"'</code>
        </Empty>
      )}
      {groups.data && groups.data.length > 0 && (
        <div className="section sheet scroll-x">
          <table className="plain">
            <thead>
              <tr>
                <th>Group</th>
                <th className="number">Devices</th>
                <th>Who is in it</th>
              </tr>
            </thead>
            <tbody>
              {groups.data.map((group) => (
                <tr key={group.slug}>
                  <td>
                    <Link to="/groups/$group" params={{ group: group.slug }}>
                      <strong>{group.name}</strong>
                    </Link>
                    {group.isForTesting && <span className="status">for testing</span>}
                    <div className="quiet mono">{group.slug}</div>
                  </td>
                  <td className="number">
                    {count(group.devices)}
                    {group.notKnown > 0 && <div className="quiet">{count(group.notKnown)} not known</div>}
                  </td>
                  <td>{group.rule ? <code>{group.rule}</code> : <span className="quiet">listed by hand</span>}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Page>
  );
}
