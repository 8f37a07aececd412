import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import type { Schemas } from "@/api/request";
import { devices } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { ChosenList } from "./ChosenList";
import { HoursList } from "./HoursList";

/** What was started, by whom, with which waves and limits. */
export function AsStarted({ details }: { details: Schemas["DeploymentDetails"] }) {
  const it = details.deployment;
  const rows: [string, ReactNode][] = [
    ["Groups", <Groups key="g" slugs={details.groups} />],
    ["Left out", details.except.length === 0 ? "nobody" : <Groups key="e" slugs={details.except} />],
    ["Started", <span key="s">by {it.startedBy}, <Moment at={it.startedAt} /></span>],
  ];
  return (
    <>
    {details.hours.length > 0 && <div className="section sheet scroll-x"><HoursList hours={details.hours} /></div>}
    {details.files && <p className="section quiet">Files: {details.files.says}.</p>}
    <div className="section columns">
      <dl className="facts sheet pad" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)" }}>
        <dt>Package</dt>
        <dd>
          <Link to="/packages/$digest" params={{ digest: it.package }}>
            {it.app} {it.version}
          </Link>
        </dd>
        <ChosenList chosen={details.chosen} />
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
                <td>{wave.opensAt && <div className="quiet">not before <Moment at={wave.opensAt} only="moment" /></div>}{wave.hours && <div className="quiet">opens {wave.hours}</div>}{wave.deadline && <div className="quiet">due {wave.deadline}</div>}{wave.gate ?? <span className="quiet">none; done when all are met</span>}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
    </>
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
