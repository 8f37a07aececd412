import type { Schemas } from "@/api/request";
import { count, percent } from "@/parts/format";
import { versionLooks } from "@/parts/versions";

type Version = Schemas["FieldVersion"];

const MOST = 5;

/** The versions in the field as one bar, each with its count and how it stands to the newest. */
export function VersionBar({ versions }: { versions: readonly Version[] }) {
  const all = versions.reduce((sum, version) => sum + version.count, 0);
  if (all === 0) return <span className="quiet">on no device</span>;
  const most = [...versions].sort((a, b) => b.count - a.count).slice(0, MOST);
  const shown = versions.filter((version) => most.includes(version));
  const rest = versions.filter((version) => !most.includes(version));
  const looks = versionLooks(shown.map((version) => version.standing));
  const parts = shown.map((version, at) => ({ ...version, look: looks[at]! }));
  return (
    <div>
      <div className="version-bar" aria-hidden="true">
        {parts.map((part) => (
          <span key={part.name} className={`version-part ${part.look}`} style={{ flexGrow: part.count }} title={`${part.name}, ${part.standing}: ${count(part.count)}`} />
        ))}
        {rest.length > 0 && <span className="version-part version-unknown" style={{ flexGrow: rest.reduce((sum, version) => sum + version.count, 0) }} />}
      </div>
      <div className="version-words">
        {parts.map((part, at) => (
          <span key={part.name}>
            <i className={`version-key ${part.look}`} aria-hidden="true" />
            {part.standing !== "unknown" && part.standing !== parts[at - 1]?.standing && <>{part.standing} </>}
            <span className="mono">{part.name}</span> <span className="quiet">{count(part.count)}</span>
          </span>
        ))}
        {rest.length > 0 && <span><i className="version-key version-unknown" aria-hidden="true" />{rest.length} more <span className="quiet">{count(rest.reduce((sum, version) => sum + version.count, 0))}</span></span>}
      </div>
    </div>
  );
}

/** The versions in the field as rows of bars, in the order the service gives them: the newest first. */
export function VersionChart({ versions }: { versions: readonly Version[] }) {
  const all = versions.reduce((sum, version) => sum + version.count, 0);
  const top = Math.max(...versions.map((version) => version.count));
  const looks = versionLooks(versions.map((version) => version.standing));
  return (
    <table className="plain">
      <caption className="visually-hidden">Versions in the field</caption>
      <tbody>
        {versions.map((version, at) => (
          <tr key={version.name}>
            <th scope="row" className="mono" style={{ width: 110 }}>
              {version.name}
            </th>
            <td className="quiet" style={{ width: 72 }}>{version.standing === "unknown" ? "" : version.standing}</td>
            <td>
              <span className={`bar ${looks[at]}`} style={{ width: `${(version.count / top) * 100}%` }} />
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
