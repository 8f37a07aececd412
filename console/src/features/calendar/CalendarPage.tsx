import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useNow } from "@/api/clock";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { useSession } from "@/app/session";
import { Act } from "@/parts/Act";
import { ErrorNote, isFailed } from "@/parts/ErrorNote";
import { count, devices } from "@/parts/format";
import { Empty, Loading, Page } from "@/parts/Page";
import { CalendarForm } from "./CalendarForm";
import { CalendarList } from "./CalendarList";
import { dayOf, daysOf, type Day, later, mondayOf } from "./days";

const WEEKS = 6;
const SHOWN = 4;
const KINDS: Record<string, string> = { window: "May be changed", freeze: "Nothing starts", deadline: "Deadline", wave: "A wave may open", gate: "A gate has soaked" };

/** What is ahead: when devices may be changed and when nothing starts, with the moments of deployments among it; and the calendars themselves. */
export default function CalendarPage() {
  const now = useNow();
  const { forbidden } = useSession();
  const [edited, setEdited] = useState<Schemas["CalendarInfo"] | "new" | null>(null);
  const monday = mondayOf(now);
  const calendars = useQuery({ queryKey: keys.calendars, queryFn: ({ signal }) => request("get", "/api/v1/calendars", { signal }) });
  // A day more at each end: what is a moment in UTC may be of another day by the reader's own clocks.
  const ahead = useQuery({ queryKey: keys.ahead(monday), queryFn: ({ signal }) => request("get", "/api/v1/ahead", { query: { day: later(monday, -1), ahead: WEEKS * 7 + 2 }, signal }) });
  const close = () => {
    setEdited(null);
    void calendars.refetch();
    void ahead.refetch();
  };
  const make = (
    <Act variant="filled" forbidden={forbidden("PUT /api/v1/calendars/{slug}")} onClick={() => setEdited("new")}>
      Make a calendar…
    </Act>
  );
  return (
    <Page title="Calendar" lead={calendars.data && (calendars.data.length > 0 ? lead(calendars.data) : "No window and no freeze rules anything.")} command="bandejo calendar ahead" acts={edited ? undefined : make}>
      {isFailed(calendars) && <ErrorNote error={calendars.error} retry={() => void calendars.refetch()} />}
      {isFailed(ahead) && <ErrorNote error={ahead.error} retry={() => void ahead.refetch()} />}
      {!calendars.data && !calendars.error && <Loading what="the calendars" />}
      {edited && <div className="section"><CalendarForm calendar={edited === "new" ? null : edited} close={close} /></div>}
      {ahead.data && !edited && <Weeks days={daysOf(monday, WEEKS * 7, ahead.data.entries)} today={dayOf(new Date(now))} />}
      {calendars.data && !edited && (
        calendars.data.length === 0 ? (
          <div className="section">
            <Empty title="There is no calendar yet, so devices may be changed at any time">
              <code>bandejo calendar new nights --when 'Mon-Fri 20:00-23:00'</code>
            </Empty>
          </div>
        ) : (
          <CalendarList calendars={calendars.data} edit={setEdited} done={close} />
        )
      )}
    </Page>
  );
}

function lead(calendars: readonly Schemas["CalendarInfo"][]): string {
  const [windows, freezes] = [calendars.filter((each) => each.kind === "window"), calendars.filter((each) => each.kind === "freeze")];
  const idle = calendars.filter((each) => each.groups.length + each.deployments.length === 0).length;
  const some = (number: number, word: string) => `${count(number)} ${word}${number === 1 ? "" : "s"}`;
  return `${some(windows.length, "window")} and ${some(freezes.length, "freeze")}${idle > 0 ? `, of which ${idle === 1 ? "one rules" : `${count(idle)} rule`} nothing yet` : ""}. A device that none rules may be changed at any time; a freeze always wins.`;
}

function Weeks({ days, today }: { days: readonly Day[]; today: string }) {
  const weeks = Array.from({ length: days.length / 7 }, (_, at) => days.slice(at * 7, at * 7 + 7));
  return (
    <section className="section sheet scroll-x" aria-label="Six weeks ahead">
      <table className="weeks">
        <thead>
          <tr>{["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"].map((name) => <th key={name} scope="col">{name}</th>)}</tr>
        </thead>
        <tbody>
          {weeks.map((week) => (
            <tr key={week[0]!.day}>{week.map((day) => <Cell key={day.day} day={day} today={today} />)}</tr>
          ))}
        </tbody>
      </table>
      <p className="quiet pad">Windows and freezes without a zone go by each device's own clocks; moments of deployments by yours.</p>
    </section>
  );
}

function Cell({ day, today }: { day: Day; today: string }) {
  const [isAll, setIsAll] = useState(false);
  const shown = isAll ? day.entries : day.entries.slice(0, SHOWN);
  const at = new Date(`${day.day}T12:00:00`);
  const isFirst = day.day.endsWith("-01") || at.getDay() === 1;
  return (
    <td data-over={day.day < today || undefined} data-today={day.day === today || undefined} data-frozen={day.entries.some((each) => each.entry.kind === "freeze") || undefined}>
      <div className="weeks-day">
        {isFirst ? at.toLocaleDateString("en-GB", { day: "numeric", month: "short" }) : at.getDate()}
        {day.day === today && <span className="quiet"> today</span>}
      </div>
      {shown.map(({ entry, hours }) => (
        <div key={`${entry.kind} ${entry.name} ${entry.from}`} className="weeks-entry" data-kind={entry.kind} title={`${KINDS[entry.kind] ?? entry.kind}: ${entry.name}, ${devices(entry.devices)}${entry.zone ? `, by clocks in ${entry.zone}` : ""}`}>
          {hours && <span className="weeks-hours">{hours}</span>}{" "}
          {entry.deployment ? (
            <Link to="/deployments/$deployment" params={{ deployment: entry.deployment }}>{entry.name}</Link>
          ) : (
            entry.name
          )}
          {entry.devices === 0 && entry.calendar && <span className="quiet"> rules nothing</span>}
        </div>
      ))}
      {day.entries.length > shown.length && (
        <button type="button" className="copy" onClick={() => setIsAll(true)}>
          {day.entries.length - shown.length} more
        </button>
      )}
    </td>
  );
}
