import { autocompletion, type Completion, type CompletionContext, completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { HighlightStyle, StreamLanguage, syntaxHighlighting } from "@codemirror/language";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, placeholder as hint, tooltips } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import { type FactHelp, suggestions } from "./ruleWords";

/** Something wrong in the text; line and column count from 1. */
export interface RuleFinding {
  message: string;
  line: number;
  column: number;
  length: number;
  isWarning?: boolean;
}

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

const colours = HighlightStyle.define([
  { tag: tags.string, color: "var(--marigold-ink)" },
  { tag: tags.keyword, color: "var(--action)", fontWeight: "600" },
  { tag: tags.number, color: "var(--working-ink)" },
]);

/** A field for a rule: coloured, completed, with each error under its place. */
export default function RuleField({ label, value, onChange, onEnter, facts, findings, placeholder, isTall }: RuleFieldProps) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const now = useRef({ onChange, onEnter, facts });
  now.current = { onChange, onEnter, facts };

  useEffect(() => {
    const complete = (context: CompletionContext) => {
      const found = suggestions(context.state.sliceDoc(0, context.pos), now.current.facts);
      if (found.options.length === 0 || (!context.explicit && found.typed.length === 0 && !found.isValue)) return null;
      return { from: context.pos - found.typed.length, options: found.options as Completion[], filter: true, validFor: /^[\w."-]*$/ };
    };
    const editor = new EditorView({
      parent: place.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          keymap.of([{ key: "Enter", run: () => (now.current.onEnter ? (now.current.onEnter(), true) : false) }, ...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          language,
          syntaxHighlighting(colours),
          autocompletion({ override: [complete], icons: false }),
          isTall ? lintGutter() : [],
          hint(placeholder ?? ""),
          EditorView.lineWrapping,
          tooltips({ position: "fixed" }),
          EditorView.contentAttributes.of({ "aria-label": label, spellcheck: "false" }),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) now.current.onChange(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, []);

  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString() !== value) editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
  }, [value]);

  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const text = editor.state.doc;
    const marks = findings.filter((finding) => finding.line >= 1 && finding.line <= text.lines).map<Diagnostic>((finding) => {
      const line = text.line(finding.line);
      const from = Math.min(line.to, line.from + finding.column - 1);
      return { from: from === line.to && from > line.from ? from - 1 : from, to: Math.min(line.to, from + Math.max(1, finding.length)), severity: finding.isWarning ? "warning" : "error", message: finding.message };
    });
    editor.dispatch(setDiagnostics(editor.state, marks));
  }, [findings]);

  return <div ref={place} className={`rule-field ${isTall ? "rule-tall" : ""}`} />;
}
