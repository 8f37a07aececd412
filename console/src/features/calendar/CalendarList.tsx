import { Select } from "@mantine/core";
import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { Ask, type Question } from "@/parts/Ask";
import { devices } from "@/parts/format";

type Calendar = Schemas["CalendarInfo"];

interface CalendarListProps {
  calendars: readonly Calendar[];
  edit: (calendar: Calendar) => void;
  done: () => void;
}

/** The calendars, with whom each rules. */
export function CalendarList({ calendars, edit, done }: CalendarListProps) {
  const { forbidden } = useSession();
  const [question, setQuestion] = useState<Question | null>(null);
  const groups = useQuery({ queryKey: keys.groups, queryFn: ({ signal }) => request("get", "/api/v1/groups", { signal }) });
  const rule = (calendar: Calendar, group: Schemas["GroupInfo"], isAdded: boolean) =>
    setQuestion({
      title: isAdded ? `Let ${calendar.name} rule ${group.name}` : `Take ${calendar.name} away from ${group.name}`,
      says: <p>{calendar.says} {isAdded ? `It would rule the ${devices(group.devices)} of ${group.name}, together with what rules them already.` : `It would not rule the ${devices(group.devices)} of ${group.name} any more; what else rules them goes on.`}</p>,
      act: isAdded ? `Let it rule ${devices(group.devices)}` : `Take it away from ${devices(group.devices)}`,
      isDangerous: false,
      command: () => `bandejo group calendar ${isAdded ? "add" : "remove"} ${group.slug} ${calendar.slug}`,
      run: async () => {
        const calendars = isAdded ? [...(group.calendars ?? []), calendar.slug] : (group.calendars ?? []).filter((slug) => slug !== calendar.slug);
        await request("put", "/api/v1/groups/{slug}/calendars", { path: { slug: group.slug }, body: { calendars }, revision: group.revision });
        await groups.refetch();
        done();
        return isAdded ? `${calendar.name} rules ${group.name}.` : `${calendar.name} does not rule ${group.name} any more.`;
      },
    });
  return (
    <>
      <div className="section columns">
        {calendars.map((calendar) => (
          <section key={calendar.slug} className="sheet">
            <div className="pad title-row">
              <h2>{calendar.name} <code className="quiet">{calendar.slug}</code></h2>
              <div className="acts">
                <Act size="compact-sm" forbidden={forbidden("PUT /api/v1/calendars/{slug}")} onClick={() => edit(calendar)}>Change</Act>
                <Act
                  size="compact-sm"
                  forbidden={forbidden("DELETE /api/v1/calendars/{slug}") ?? (calendar.groups.length + calendar.deployments.length > 0 ? "It rules something; take it away from there first." : null)}
                  onClick={() =>
                    setQuestion({
                      title: `Remove the calendar ${calendar.name}`,
                      says: <p>It rules nothing, so that nothing changes on any device.</p>,
                      act: "Remove 1 calendar",
                      isDangerous: true,
                      command: () => `bandejo calendar remove ${calendar.slug}`,
                      run: async () => {
                        await request("delete", "/api/v1/calendars/{slug}", { path: { slug: calendar.slug }, revision: calendar.revision });
                        done();
                        return `The calendar ${calendar.name} is removed.`;
                      },
                    })
                  }
                >
                  Remove…
                </Act>
              </div>
            </div>
            <table className="plain">
              <tbody>
                <tr><td style={{ whiteSpace: "nowrap" }}><strong>Says</strong></td><td>{calendar.says}</td></tr>
                <tr><td style={{ whiteSpace: "nowrap" }}><strong>Clocks</strong></td><td>{calendar.zone ?? <span className="quiet">each device's own</span>}</td></tr>
                <tr>
                  <td style={{ whiteSpace: "nowrap" }}><strong>Rules</strong></td>
                  <td>
                    {calendar.groups.length === 0 ? <span className="quiet">no group</span> : <>{devices(calendar.devices)} in </>}
                    {calendar.groups.map((slug, at) => {
                      const group = groups.data?.find((each) => each.slug === slug);
                      return (
                        <span key={slug}>
                          {at > 0 && ", "}
                          <Link to="/groups/$group" params={{ group: slug }}>{group?.name ?? slug}</Link>
                          {group && <> <Act size="compact-xs" forbidden={forbidden("PUT /api/v1/groups/{slug}/calendars")} onClick={() => rule(calendar, group, false)}>Take away…</Act></>}
                        </span>
                      );
                    })}
                    {calendar.deployments.length > 0 && <div>of its own: {calendar.deployments.join(", ")}</div>}
                    <Select
                      size="xs"
                      mt={6}
                      w={220}
                      aria-label={`Let ${calendar.name} rule a group`}
                      placeholder="Let it rule a group…"
                      searchable
                      disabled={forbidden("PUT /api/v1/groups/{slug}/calendars") !== null}
                      value={null}
                      data={(groups.data ?? []).filter((group) => !calendar.groups.includes(group.slug)).map((group) => ({ value: group.slug, label: `${group.name} · ${group.devices}` }))}
                      onChange={(slug) => {
                        const group = groups.data?.find((each) => each.slug === slug);
                        if (group) rule(calendar, group, true);
                      }}
                    />
                  </td>
                </tr>
              </tbody>
            </table>
          </section>
        ))}
      </div>
      <Ask question={question} close={() => setQuestion(null)} />
    </>
  );
}
