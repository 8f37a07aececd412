import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useMemo, useState } from "react";
import { type Refused, request } from "@/api/request";

const RuleField = lazy(() => import("./RuleField"));

interface FilterFieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** What the service says of the filter, shown under its place. */
  error: Refused | null;
}

/** After so long without a key the filter is asked for, milliseconds. */
const REST = 300;

/** A filter by rule or by plain words, for any list of devices. */
export function FilterField({ label, value, onChange, error }: FilterFieldProps) {
  const [typed, setTyped] = useState(value);
  const facts = useQuery({ queryKey: ["facts"], queryFn: ({ signal }) => request("get", "/api/v1/facts", { signal }), staleTime: 60_000 });
  useEffect(() => setTyped(value), [value]);
  useEffect(() => {
    if (typed === value) return;
    const timer = setTimeout(() => onChange(typed), REST);
    return () => clearTimeout(timer);
  }, [typed]);
  const findings = useMemo(() => (typed === value ? (error?.findings ?? []).map((finding) => ({ ...finding, isWarning: finding.isWarning })) : []), [error, typed, value]);
  return (
    <div className="grow">
      <Suspense fallback={<div className="rule-waiting">{typed}</div>}>
        <RuleField label={label} value={typed} onChange={setTyped} onEnter={() => onChange(typed)} facts={facts.data ?? []} findings={findings} placeholder='Words such as "ALD laptop", or a rule: kind is "kiosk" and disk.free < 2 GiB' />
      </Suspense>
      {error && typed === value && (
        <p className="field-error" role="alert">
          {error.findings[0]?.message ?? error.message}
        </p>
      )}
    </div>
  );
}
