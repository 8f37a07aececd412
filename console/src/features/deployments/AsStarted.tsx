import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import type { Schemas } from "@/api/request";
import { devices } from "@/parts/format";
import { Moment } from "@/parts/Moment";

/** What was started, by whom, with which waves and limits. */
export function AsStarted({ details }: { details: Schemas["DeploymentDetails"] }) {
  const it = details.deployment;
  const rows: [string, ReactNode][] = [
    ["Package", <Link key="p" to="/packages/$digest" params={{ digest: it.package }}>{it.app} {it.version}</Link>],
    ["Wish", { have: "have: it must be there", gone: "gone: it must not be there, in any version", choice: "choice: users may take it" }[it.wish] ?? it.wish],
    ["Groups", <Groups key="g" slugs={details.groups} />],
    ["Left out", details.except.length === 0 ? "nobody" : <Groups key="e" slugs={details.except} />],
    ["Halt", details.halt],
    ["Tries", `${details.tries}, ${details.retryPause} before the second`],
    ["Lease", `${details.lease}: so long a device may start it unheard`],
    ["Deadline", <Moment key="d" at={it.deadline} otherwise="none" />],
    ...(details.settings.length > 0 ? [["Settings", <span key="v" className="mono">{details.settings.map((setting) => `${setting.name} ${setting.value ?? "(secret)"}`).join(", ")}</span>] as [string, ReactNode]] : []),
    ["Started", <span key="s">by {it.startedBy}, <Moment at={it.startedAt} /></span>],
  ];
  return (
    <div className="section columns">
      <dl className="facts sheet pad" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)" }}>
        {rows.map(([name, value]) => (
          <div key={name} style={{ display: "contents" }}>
            <dt>{name}</dt>
            <dd>{value}</dd>
          </div>
        ))}
      </dl>
      <div className="sheet scroll-x">
        <table className="plain">
          <thead>
            <tr>
              <th>Wave</th>
              <th>Picks</th>
              <th>Gate</th>
            </tr>
          </thead>
          <tbody>
            {it.waves.map((wave) => (
              <tr key={wave.name}>
                <td>{wave.name}<div className="quiet">{devices(wave.devices)}</div></td>
                <td>{wave.pick}</td>
                <td>{wave.gate ?? <span className="quiet">none; done when all are met</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

function Groups({ slugs }: { slugs: readonly string[] }) {
  return (
    <>
      {slugs.map((slug, at) => (
        <span key={slug}>
          {at > 0 && ", "}
          <Link to="/groups/$group" params={{ group: slug }}>
            {slug}
          </Link>
        </span>
      ))}
    </>
  );
}
