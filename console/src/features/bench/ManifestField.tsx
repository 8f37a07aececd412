import { yaml } from "@codemirror/lang-yaml";
import { lintGutter } from "@codemirror/lint";
import { lineNumbers } from "@codemirror/view";
import { CodeField, type TextFinding } from "@/parts/CodeField";

/** The manifest as text, with each finding at its line. */
export default function ManifestField({ value, onChange, findings }: { value: string; onChange: (value: string) => void; findings: readonly TextFinding[] }) {
  return <CodeField label="Manifest, package.yaml" value={value} onChange={onChange} findings={findings} className="rule-field manifest-field" extensions={() => [lineNumbers(), lintGutter(), yaml()]} />;
}
