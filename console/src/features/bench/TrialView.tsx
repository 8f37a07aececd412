import type { Schemas } from "@/api/request";
import { Moment } from "@/parts/Moment";
import { TrialSteps } from "@/parts/TrialSteps";

/** A trial's steps as they end. */
export function TrialView({ trial }: { trial: Schemas["BenchTrialInfo"] }) {
  return (
    <section className="section" aria-label="Trial">
      <h2>
        Trial <span className="quiet">in a clean sandbox of the service's machine, <Moment at={trial.at} /></span>
      </h2>
      {!trial.isRunning && !trial.isOfThis && <p className="quiet">The draft was changed since; this was of what it was then.</p>}
      {trial.problem && <p className="note bad"><strong>It could not be carried out.</strong> {trial.problem}</p>}
      <TrialSteps steps={trial.steps}>
        {trial.isRunning && (
          <li className="trial-now" role="status">
            <span className="trial-sign" aria-hidden="true">◌</span>
            <strong>at work</strong>
            <span />
            <div className="quiet">The next step is under way.</div>
          </li>
        )}
      </TrialSteps>
    </section>
  );
}
