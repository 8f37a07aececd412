import { useQuery } from "@tanstack/react-query";
import { keys } from "@/api/keys";
import { request, type Schemas } from "@/api/request";
import { Moment } from "@/parts/Moment";

/** What the device says of itself, and since when. */
export function DeviceFacts({ details }: { details: Schemas["DeviceDetails"] }) {
  const facts = useQuery({ queryKey: keys.facts, queryFn: ({ signal }) => request("get", "/api/v1/facts", { signal }), staleTime: 60_000 });
  const meaning = new Map(facts.data?.map((fact) => [fact.name, fact.meaning]));
  return (
    <div className="section sheet scroll-x">
      <table className="plain">
        <thead>
          <tr>
            <th style={{ width: 170 }}>Fact</th>
            <th>Value</th>
            <th>Meaning</th>
            <th style={{ width: 190 }}>So since</th>
          </tr>
        </thead>
        <tbody>
          {details.facts.map((fact) => (
            <tr key={fact.name}>
              <td className="mono">{fact.name}</td>
              <td>{fact.value}</td>
              <td className="quiet">{meaning.get(fact.name) ?? "A label of this site"}</td>
              <td>
                <Moment at={fact.at} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
