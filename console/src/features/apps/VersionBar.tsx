import type { Schemas } from "@/api/request";
import { count, percent } from "@/parts/format";

const MOST = 5;

/** The versions in the field as one bar, the most frequent first, each with its count. */
export function VersionBar({ versions }: { versions: readonly Schemas["CountInfo"][] }) {
  const all = versions.reduce((sum, version) => sum + version.count, 0);
  if (all === 0) return <span className="quiet">on no device</span>;
  const most = [...versions].sort((a, b) => b.count - a.count);
  const shown = most.slice(0, MOST);
  const rest = most.slice(MOST);
  const parts = [...shown, ...(rest.length > 0 ? [{ name: `${rest.length} more`, count: rest.reduce((sum, version) => sum + version.count, 0) }] : [])];
  return (
    <div>
      <div className="version-bar" aria-hidden="true">
        {parts.map((part, at) => (
          <span key={part.name} className={`version-part version-${at}`} style={{ flexGrow: part.count }} title={`${part.name}: ${count(part.count)}`} />
        ))}
      </div>
      <div className="version-words">
        {parts.map((part, at) => (
          <span key={part.name}>
            <i className={`version-key version-${at}`} aria-hidden="true" />
            <span className="mono">{part.name}</span> <span className="quiet">{count(part.count)}</span>
          </span>
        ))}
      </div>
    </div>
  );
}

/** The versions in the field as rows of bars, in the order the service gives them. */
export function VersionChart({ versions }: { versions: readonly Schemas["CountInfo"][] }) {
  const all = versions.reduce((sum, version) => sum + version.count, 0);
  const top = Math.max(...versions.map((version) => version.count));
  return (
    <table className="plain">
      <caption className="visually-hidden">Versions in the field</caption>
      <tbody>
        {versions.map((version) => (
          <tr key={version.name}>
            <th scope="row" className="mono" style={{ width: 110 }}>
              {version.name}
            </th>
            <td>
              <span className="bar" style={{ width: `${(version.count / top) * 100}%` }} />
            </td>
            <td className="number" style={{ width: 120 }}>
              {count(version.count)} · {percent(version.count, all)}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
