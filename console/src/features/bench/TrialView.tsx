import type { Schemas } from "@/api/request";
import { Moment } from "@/parts/Moment";

const SIGNS: Record<string, string> = { passed: "■", failed: "✗", warned: "!", "left-out": "□" };
const WORDS: Record<string, string> = { passed: "passed", failed: "failed", warned: "passed, with a warning", "left-out": "left out" };

/** A trial's steps as they end, each with what its command printed. */
export function TrialView({ trial }: { trial: Schemas["BenchTrialInfo"] }) {
  return (
    <section className="section" aria-label="Trial">
      <h2>
        Trial <span className="quiet">in a clean sandbox of the service's machine, <Moment at={trial.at} /></span>
      </h2>
      {!trial.isRunning && !trial.isOfThis && <p className="quiet">The draft was changed since; this was of what it was then.</p>}
      {trial.problem && <p className="note bad"><strong>It could not be carried out.</strong> {trial.problem}</p>}
      <ol className="sheet trial-steps">
        {trial.steps.map((step, at) => (
          <li key={`${step.variant} ${step.name} ${at}`} className={`trial-${step.state}`}>
            <span className="trial-sign" aria-hidden="true">{SIGNS[step.state] ?? "□"}</span>
            <strong>{step.name}</strong>
            <span className="visually-hidden">{WORDS[step.state] ?? step.state}</span>
            <span className="quiet number">{step.seconds > 0 && `${step.seconds.toFixed(1)} s`}</span>
            <div>
              {step.says}
              {step.log.length > 0 && (
                <details open={step.state === "failed"}>
                  <summary>{step.name === "in place" || step.name === "leftovers" ? `${step.log.length} ${step.log.length === 1 ? "file" : "files"}` : "Log"}</summary>
                  <pre>{step.log.join("\n")}</pre>
                </details>
              )}
            </div>
          </li>
        ))}
        {trial.isRunning && (
          <li className="trial-now" role="status">
            <span className="trial-sign" aria-hidden="true">◌</span>
            <strong>at work</strong>
            <span />
            <div className="quiet">The next step is under way.</div>
          </li>
        )}
      </ol>
    </section>
  );
}
