import { useQuery } from "@tanstack/react-query";
import { keys } from "@/api/keys";
import { request } from "@/api/request";

/** What changed since the package before. */
export function ChangesSheet({ digest, earlier }: { digest: string; earlier: string }) {
  const found = useQuery({ queryKey: keys.package(digest, "since", earlier), queryFn: ({ signal }) => request("get", "/api/v1/packages/{package}/compare/{other}", { path: { package: earlier, other: digest }, signal }) });
  if (!found.data) return null;
  const { before, differences } = found.data;
  return (
    <section className="section">
      <h2>Changed since {before.version}</h2>
      <div className="sheet scroll-x">
        {differences.length === 0 ? (
        <p className="pad quiet">Nothing but the signature.</p>
      ) : (
        <table className="plain">
          <thead><tr><th>What</th><th>Before</th><th>Now</th></tr></thead>
          <tbody>
            {differences.map((each) => (
              <tr key={`${each.what} ${each.name}`}>
                <td className="what">{each.name}<div className="quiet">{each.what}</div></td>
                <td>{each.before ?? <span className="quiet">nothing</span>}</td>
                <td>{each.after ?? <span className="quiet">nothing</span>}{each.before === each.after && <div className="quiet">other content</div>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      </div>
    </section>
  );
}
