import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useNow } from "@/api/clock";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { Moment } from "@/parts/Moment";

const SHOWN = 4;

/** When a device may be changed, which calendars rule that, and what is planned in each of its next openings. Nothing where none rules it. */
export function Openings({ details }: { details: Schemas["DeviceDetails"] }) {
  const { device, targets } = details;
  const now = useNow();
  const found = useQuery({ queryKey: keys.device(device.id, "openings"), queryFn: ({ signal }) => request("get", "/api/v1/devices/{id}/openings", { path: { id: device.id }, signal }), refetchInterval: 60_000 });
  if (!found.data || found.data.calendars.length === 0) return null;
  const openings = found.data;
  const waiting = targets.filter((target) => target.next && ["waiting", "ready", "retry", "restart"].includes(target.state));
  return (
    <section className="section sheet scroll-x" aria-label="When it may be changed">
      <div className="pad">
        <h2>When it may be changed</h2>
        <p>
          {openings.says}
          {openings.until && <> {openings.isOpen ? "It closes" : "It opens"} <Moment at={openings.until} />.</>}{" "}
          <span className="quiet">
            Ruled by <Link to="/calendar">{openings.calendars.join(", ")}</Link>; its clocks are {openings.zone ? <>those of {openings.zone}</> : "not known"}.
          </span>
        </p>
      </div>
      {openings.next.length > 0 && (
        <table className="plain">
          <thead>
            <tr>
              <th>Its next openings</th>
              <th>Planned in it</th>
            </tr>
          </thead>
          <tbody>
            {openings.next.slice(0, SHOWN).map((opening) => {
              const planned = waiting.filter((target) => isIn(opening, Date.parse(target.next!), now));
              return (
                <tr key={opening.from}>
                  <td style={{ whiteSpace: "nowrap" }}>
                    <Moment at={opening.from} only="moment" /> to <Moment at={opening.to} only="moment" />
                  </td>
                  <td>
                    {planned.length === 0 ? <span className="quiet">nothing yet</span> : planned.map((target, at) => (
                      <span key={target.deployment}>
                        {at > 0 && ", "}
                        <Link to="/deployments/$deployment" params={{ deployment: target.deployment }}>{target.deploymentName}</Link>
                      </span>
                    ))}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
    </section>
  );
}

/** Whether something that is due at a moment is done in an opening: in the one that is on, what is due before its end. */
function isIn(opening: Schemas["OpeningInfo"], due: number, now: number): boolean {
  const [from, to] = [Date.parse(opening.from), Date.parse(opening.to)];
  return due < to && (due >= from || from <= now);
}
