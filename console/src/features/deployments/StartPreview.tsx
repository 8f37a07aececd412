import type { Schemas } from "@/api/request";
import { ErrorNote } from "@/parts/ErrorNote";
import { count, devices } from "@/parts/format";
import { Moment } from "@/parts/Moment";
import { ChosenList } from "./ChosenList";
import { HoursList } from "./HoursList";

interface StartPreviewProps {
  preview: Schemas["DeploymentPreview"] | undefined;
  error: unknown;
  isComplete: boolean;
  isOld: boolean;
}

const NOTHING = "need nothing";
const EFFECTS: Record<string, string> = {
  enter: "get it anew",
  upgrade: "go up to it",
  downgrade: "go down to it",
  leave: "lose it",
  offered: "may take it",
  "not-known": "have not said what they have",
  "has-it": NOTHING,
  "has-newer": NOTHING,
  "has-none": NOTHING,
};

/** Whom a deployment would reach, who not and why, and what stands against it. */
export function StartPreview({ preview, error, isComplete, isOld }: StartPreviewProps) {
  if (!isComplete) return <div className="sheet pad quiet">Once a package, a group and a name of its own for each wave are chosen, whom it would reach, who not and why stands here.</div>;
  if (error) return <ErrorNote error={error} />;
  if (!preview) return <div className="sheet pad quiet">Working out whom it reaches …</div>;
  const against = preview.findings.filter((finding) => !finding.isWarning);
  const worth = preview.findings.filter((finding) => finding.isWarning);
  const isChoice = preview.wish === "choice";
  const out = preview.out.reduce((sum, reason) => sum + reason.count, 0);
  return (
    <section className="sheet" aria-live="polite" style={isOld ? { opacity: 0.6 } : undefined}>
      <div className="pad">
        <h2>{isChoice ? "Offered to" : "Reaches"} {devices(preview.reached)}</h2>
        <p className="quiet">{preview.effects.filter((effect) => effect.count > 0).map((effect) => `${count(effect.count)} ${EFFECTS[effect.code] ?? effect.name}`).join(", ") || "No device would change"}.{isChoice && " Nothing is installed until a user takes it."}</p>
      </div>
      {against.length > 0 && (
        <div className="note bad" style={{ margin: 0 }}>
          <p>
            <strong>It cannot start.</strong>
            {against.map((finding) => (
              <span key={finding.message} style={{ display: "block" }}>
                {finding.where && <code>{finding.where}: </code>}
                {finding.message}
              </span>
            ))}
          </p>
        </div>
      )}
      {worth.length > 0 && (
        <div className="note" style={{ margin: 0 }}>
          <p>
            {worth.map((finding) => (
              <span key={finding.message} style={{ display: "block" }}>
                {finding.message}
              </span>
            ))}
          </p>
        </div>
      )}
      {(preview.hours ?? []).length > 0 && <HoursList hours={preview.hours!} ahead={preview.waves.length > 1 ? "Once their wave is open" : "At once"} />}
      <dl className="facts pad" style={{ gridTemplateColumns: "max-content minmax(0, 1fr)" }}>
        <ChosenList chosen={preview.chosen} />
      </dl>
      <div className="scroll-x">
        <table className="plain">
          <thead>
            <tr>
              <th>Wave</th>
              <th className="number">Devices</th>
              <th>Its gate</th>
            </tr>
          </thead>
          <tbody>
            {preview.waves.map((wave) => (
              <tr key={wave.name}>
                <td>
                  {wave.name}
                  <div className="quiet">
                    {wave.sample.slice(0, 4).join(", ")}
                    {wave.devices > Math.min(4, wave.sample.length) && " …"}
                  </div>
                </td>
                <td className="number">{count(wave.devices)}</td>
                <td>
                  {wave.opensAt && (
                    <div className="quiet">
                      not before <Moment at={wave.opensAt} only="moment" />
                    </div>
                  )}
                  {wave.hours && <div className="quiet">opens {wave.hours}</div>}
                  {wave.deadline && <div className="quiet">due {wave.deadline}</div>}
                  {wave.gate ?? <span className="quiet">none</span>}
                  {wave.arithmetic && <div className="quiet">{wave.arithmetic}</div>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {out > 0 && (
          <table className="plain">
            <thead>
              <tr>
                <th>Not reached, because</th>
                <th className="number">{count(out)}</th>
              </tr>
            </thead>
            <tbody>
              {preview.out.map((reason) => (
                <tr key={reason.reason}>
                  <td>
                    {reason.reason}
                    <div className="quiet">{reason.sample.slice(0, 4).join(", ")}{reason.count > 4 && " …"}</div>
                  </td>
                  <td className="number">{count(reason.count)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {preview.spread.length > 0 && (
          <table className="plain">
            <thead>
              <tr>
                <th>Of those reached</th>
                <th className="number">Devices</th>
              </tr>
            </thead>
            <tbody>
              {preview.spread.slice(0, 8).map((kind) => (
                <tr key={kind.name}>
                  <td>{kind.name}</td>
                  <td className="number">{count(kind.count)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </section>
  );
}
