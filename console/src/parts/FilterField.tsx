import { lazy, Suspense, useEffect, useState } from "react";
import { useFacts, useRuleCheck } from "./useRuleCheck";

const RuleField = lazy(() => import("./RuleField"));

interface FilterFieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** What may be written, in place of the usual. */
  hint?: string;
}

/** After so long without a key the filter is asked for, milliseconds. */
const REST = 300;

/** Text with one of these is meant as a rule; without, and not one by chance, it is words. */
const RULE_SIGNS = /[<>="()]/;

/** A filter by rule or by plain words, for any list of devices. A rule with an error in it is shown with it, and not asked for. */
export function FilterField({ label, value, onChange, hint }: FilterFieldProps) {
  const [typed, setTyped] = useState(value);
  const facts = useFacts();
  const { findings, isChecked } = useRuleCheck(RULE_SIGNS.test(typed) ? typed : "", REST);
  const isGood = !RULE_SIGNS.test(typed) || (isChecked && findings.length === 0);
  useEffect(() => setTyped(value), [value]);
  useEffect(() => {
    if (typed === value || !isGood) return;
    const timer = setTimeout(() => onChange(typed), RULE_SIGNS.test(typed) ? 0 : REST);
    return () => clearTimeout(timer);
  }, [typed, isGood]);
  return (
    <div className="grow">
      <Suspense fallback={<div className="rule-waiting">{typed}</div>}>
        <RuleField label={label} value={typed} onChange={setTyped} onEnter={() => isGood && onChange(typed)} facts={facts} findings={findings} placeholder={hint ?? 'Words such as ALD laptop, or a rule: kind is "kiosk"'} />
      </Suspense>
      {findings.length > 0 && (
        <p className="field-error" role="alert">
          {findings[0]!.message}
          {value !== typed && " The list is as before."}
        </p>
      )}
    </div>
  );
}
