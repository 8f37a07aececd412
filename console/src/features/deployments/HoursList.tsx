import type { Schemas } from "@/api/request";
import { count } from "@/parts/format";
import { Moment } from "@/parts/Moment";

/**
 * For what devices wait before they start, those that wait for the same on one line.
 * @param ahead Of what was not started yet: what is said of those that wait for nothing else.
 */
export function HoursList({ hours, ahead }: { hours: readonly Schemas["HoursInfo"][]; ahead?: string }) {
  return (
    <table className="plain">
      <thead>
        <tr>
          <th>{hours.every((each) => each.isOpen) ? "May start" : "When they may start"}</th>
          <th className="number">Devices</th>
        </tr>
      </thead>
      <tbody>
        {hours.map((each) => (
          <tr key={`${each.says} ${each.next}`}>
            <td>
              {each.isOpen && (ahead !== undefined || each.why.code === "order-out") ? (ahead ?? "At once") : each.says}
              {each.next && (
                <>
                  {each.isOpen ? ", until " : each.why.code === "restart-held" ? "; looked at again " : "; may start "}
                  <Moment at={each.next} only={each.isOpen ? "moment" : undefined} />
                </>
              )}
              <div className="quiet">
                {each.sample.join(", ")}
                {each.devices > each.sample.length && " …"}
              </div>
            </td>
            <td className="number">{count(each.devices)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
