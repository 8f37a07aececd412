import { autocompletion, type Completion, type CompletionContext } from "@codemirror/autocomplete";
import { StreamLanguage } from "@codemirror/language";
import { lintGutter } from "@codemirror/lint";
import { placeholder as hint } from "@codemirror/view";
import { useRef } from "react";
import { CodeField, type TextFinding } from "./CodeField";
import { type FactHelp, suggestions } from "./ruleWords";

export type RuleFinding = TextFinding;

interface RuleFieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  onEnter?: () => void;
  facts: readonly FactHelp[];
  findings: readonly RuleFinding[];
  placeholder?: string;
  isTall?: boolean;
}

const WORDS = /^(and|or|not|is|in|like|present|absent|known|yes|no)\b/;

const language = StreamLanguage.define({
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^"(?:[^"\\]|\\.)*"?/)) return "string";
    if (stream.match(WORDS)) return "keyword";
    if (stream.match(/^[\d][\w.:-]*/)) return "number";
    if (stream.match(/^[<>=!]+/)) return "operator";
    if (stream.match(/^[a-z][\w.-]*/i)) return "variableName";
    stream.next();
    return null;
  },
});

/** A field for a rule: coloured, completed, with each error under its place. */
export default function RuleField({ facts, placeholder, isTall, ...rest }: RuleFieldProps) {
  const known = useRef(facts);
  known.current = facts;
  const complete = (context: CompletionContext) => {
    const found = suggestions(context.state.sliceDoc(0, context.pos), known.current);
    if (found.options.length === 0 || (!context.explicit && found.typed.length === 0 && !found.isValue)) return null;
    return { from: context.pos - found.typed.length, options: found.options as Completion[], filter: true, validFor: /^[\w."-]*$/ };
  };
  return (
    <CodeField
      {...rest}
      className={`rule-field ${isTall ? "rule-tall" : ""}`}
      extensions={() => [language, autocompletion({ override: [complete], icons: false }), isTall ? lintGutter() : [], hint(placeholder ?? "")]}
    />
  );
}
