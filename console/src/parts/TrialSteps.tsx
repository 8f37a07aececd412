import type { ReactNode } from "react";
import type { Schemas } from "@/api/request";

const SIGNS: Record<string, string> = { passed: "■", failed: "✗", warned: "!", "left-out": "□" };
const WORDS: Record<string, string> = { passed: "passed", failed: "failed", warned: "passed, with a warning", "left-out": "left out" };

/** The steps of a trial, each with what its command printed. */
export function TrialSteps({ steps, children }: { steps: readonly Schemas["TrialStepInfo"][]; children?: ReactNode }) {
  return (
    <ol className="sheet trial-steps">
      {steps.map((step, at) => (
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
      {children}
    </ol>
  );
}
