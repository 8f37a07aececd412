import type { Schemas } from "@/api/request";
import { count, devices } from "@/parts/format";

/** The one sentence of a draft: where it stands, and what comes next. */
export function leadOf({ draft, check, trial, noTrials }: Schemas["BenchDraft"], isKept: boolean): string {
  if (!check) return "Drop an installer file to begin.";
  const errors = check.findings.filter((finding) => !finding.isWarning).length;
  const warnings = check.findings.length - errors;
  if (!isKept) return "Being looked at as you write.";
  if (errors > 0) return `It cannot be built yet: ${count(errors)} ${errors === 1 ? "thing is" : "things are"} missing or wrong.`;
  const fits = check.allDevices === 0 ? "No device is enrolled yet" : `${count(check.fitsDevices ?? 0)} of ${devices(check.allDevices)} could get it now`;
  const wary = warnings > 0 ? `, with ${count(warnings)} ${warnings === 1 ? "warning" : "warnings"}` : "";
  if (trial?.isRunning) return `${fits}${wary}. A trial is running.`;
  if (draft.package && trial?.isOfThis && trial.hasPassed) return `${fits}. It was tried and built; release it next.`;
  if (trial?.isOfThis) return trial.hasPassed ? `${fits}${wary}. The trial passed; build it next.` : `${fits}${wary}. The trial failed; see at which step.`;
  return `${fits}${wary}. ${noTrials ? "It can be built." : "Try it next, then build it."}`;
}
