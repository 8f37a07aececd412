import { completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { type Diagnostic, setDiagnostics } from "@codemirror/lint";
import { EditorState, type Extension } from "@codemirror/state";
import { EditorView, keymap, tooltips } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";

/** Something wrong in the text; line and column count from 1. */
export interface TextFinding {
  message: string;
  line: number;
  column: number;
  length: number;
  isWarning?: boolean;
}

interface CodeFieldProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  /** Null where Enter begins a line. */
  onEnter?: (() => void) | null;
  findings: readonly TextFinding[];
  /** The language and what belongs to it; taken once. */
  extensions: () => Extension;
  className: string;
}

const colours = HighlightStyle.define([
  { tag: tags.string, color: "var(--marigold-ink)" },
  { tag: [tags.keyword, tags.propertyName], color: "var(--action)", fontWeight: "600" },
  { tag: [tags.number, tags.bool], color: "var(--working-ink)" },
  { tag: tags.comment, color: "var(--quiet)", fontStyle: "italic" },
]);

/** A field for text with a form: coloured, with each error under its place. */
export function CodeField({ label, value, onChange, onEnter, findings, extensions, className }: CodeFieldProps) {
  const place = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const now = useRef({ onChange, onEnter });
  now.current = { onChange, onEnter };

  useEffect(() => {
    const editor = new EditorView({
      parent: place.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          keymap.of([{ key: "Enter", run: () => (now.current.onEnter ? (now.current.onEnter(), true) : false) }, ...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          extensions(),
          syntaxHighlighting(colours),
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

  return <div ref={place} className={className} />;
}
