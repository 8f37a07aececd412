import type { Schemas } from "@/api/request";
import { count } from "@/parts/format";

/** Met, unmet and unknown as one bar; late is part of both and stands in the words. */
export function CountBar({ counts, height }: { counts: Schemas["ComplianceInfo"]; height: number }) {
  const parts = [
    { name: "met", value: counts.met },
    { name: "unmet", value: counts.unmet - counts.late },
    { name: "late", value: counts.late },
    { name: "unknown", value: counts.unknown },
  ].filter((part) => part.value > 0);
  return (
    <div className="count-bar" style={{ height }} role="img" aria-label={parts.map((part) => `${count(part.value)} ${part.name}`).join(", ") || "nothing asked"}>
      {parts.map((part) => (
        <span key={part.name} className={`count-${part.name}`} style={{ flexGrow: part.value }} title={`${count(part.value)} ${part.name}`} />
      ))}
    </div>
  );
}
