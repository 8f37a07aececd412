import { Link } from "@tanstack/react-router";
import type { Schemas } from "@/api/request";
import { devices } from "@/parts/format";
import { Empty } from "@/parts/Page";

/** Failures by what they have in common, and what users reported. */
export function CausesView({ details }: { details: Schemas["DeploymentDetails"] }) {
  if (details.causes.length === 0 && details.harms.length === 0) return <div className="section"><Empty title="Nothing failed">When devices fail, they are gathered here by what they have in common.</Empty></div>;
  return (
    <div className="section columns">
      {details.causes.map((cause) => (
        <section key={cause.what} className="sheet pad">
          <h2>{devices(cause.devices)}</h2>
          <p style={{ overflowWrap: "anywhere" }}>{cause.what}</p>
          {cause.setApart.length > 0 && (
            <>
              <p className="quiet">What sets them apart from those that did not fail; a hint, no proof:</p>
              <ul className="findings">
                {cause.setApart.map((fact) => (
                  <li key={fact}>{fact}</li>
                ))}
              </ul>
            </>
          )}
          <p>
            {cause.sample.map((device, at) => (
              <span key={device}>
                {at > 0 && ", "}
                <Link to="." search={{ view: "causes", device }} resetScroll={false} className="name">
                  {device}
                </Link>
              </span>
            ))}
            {cause.devices > cause.sample.length && ` and ${cause.devices - cause.sample.length} more`}
          </p>
        </section>
      ))}
      {details.harms.length > 0 && (
        <section className="sheet pad">
          <h2>Harm reports</h2>
          {details.harms.map((harm) => (
            <p key={harm.device}>
              <Link className="name" to="/devices/$device" params={{ device: harm.device }}>
                {harm.device}
              </Link>{" "}
              “{harm.text}”{harm.reports > 1 && ` · ${harm.reports} reports`}
            </p>
          ))}
        </section>
      )}
    </div>
  );
}
