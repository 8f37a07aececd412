import { Link } from "@tanstack/react-router";
import type { Schemas } from "@/api/request";
import { count, devices, share } from "@/parts/format";

/** Who a rule holds for at this moment, for whom it is not known, and why. */
export function RulePreview({ preview, isOld }: { preview: Schemas["RulePreview"] | undefined; isOld: boolean }) {
  if (!preview) return <div className="sheet pad quiet">Who would be in it stands here as you type.</div>;
  return (
    <section className="sheet" aria-live="polite" style={isOld ? { opacity: 0.55 } : undefined}>
      <div className="pad">
        <h2>{devices(preview.devices)}</h2>
        <p className="quiet">
          {share(preview.devices, preview.all)}
          {preview.notKnown > 0 && `; for ${count(preview.notKnown)} it is not known yet, so they are not in it`}
        </p>
      </div>
      <Sample title="Such as" rows={preview.sample} />
      {preview.notKnown > 0 && <Sample title="Not known yet" rows={preview.notKnownSample} />}
    </section>
  );
}

function Sample({ title, rows }: { title: string; rows: readonly Schemas["SampleInfo"][] }) {
  if (rows.length === 0) return null;
  return (
    <div className="scroll-x">
      <table className="plain">
        <thead>
          <tr>
            <th style={{ width: 150 }}>{title}</th>
            <th>Because</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, 10).map((row) => (
            <tr key={row.device}>
              <td>
                <Link className="name" to="/devices/$device" params={{ device: row.device }}>
                  {row.device}
                </Link>
              </td>
              <td className="quiet">{row.why}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
