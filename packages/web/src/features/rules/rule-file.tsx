import { autocompletion, completionKeymap } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import { yaml } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { type Diagnostic, setDiagnostics } from "@codemirror/lint";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, lineNumbers } from "@codemirror/view";
import type { RuleCheck } from "@halvik/contract/rules";
import { completeRuleFile } from "@halvik/core/detect/form";
import { SenderDirectory } from "@halvik/core/model/senders";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import { EDITOR_LOOK } from "../../ui/editor-look";
import { useEditorText } from "../../ui/use-editor-text";
import { placesOf } from "./issue-places";
import type { FilterHelp } from "./picker";

const NOBODY = new SenderDirectory([]);

const look = EditorView.theme({
  "&": {
    backgroundColor: "var(--sheet)",
    border: "1px solid var(--line-strong)",
    borderRadius: "2px",
    fontSize: "0.8125rem",
  },
  "&.cm-focused": { outline: "2px solid var(--fjord)", outlineOffset: "1px" },
  ".cm-content": { fontFamily: "var(--font-mono)", caretColor: "var(--ink)", lineHeight: "1.1875rem" },
  // what stands below it, the rehearsal, is not far
  ".cm-scroller": { maxHeight: "18rem", overflow: "auto" },
  ".cm-gutters": { backgroundColor: "var(--sheet)", color: "var(--quiet)", border: "none" },
  ...EDITOR_LOOK,
});
/** Keys by weight, values by ink: colour is for attention. */
const marks = HighlightStyle.define([
  { tag: [tags.definition(tags.propertyName), tags.propertyName], fontWeight: "600" },
  { tag: tags.comment, color: "var(--quiet)" },
]);

/** The rule as a file: completion of keys, fields and filters, and what is wrong where it is. */
export function RuleFile({
  text,
  issues,
  help,
  onChange,
}: {
  text: string;
  issues: RuleCheck["issues"];
  help: Pick<FilterHelp, "directory" | "saved">;
  onChange: (text: string) => void;
}) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const kept = useEditorText(view, text, onChange);
  const latest = useRef(help);
  latest.current = help;
  useEffect(() => {
    const editor = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: text,
        extensions: [
          look,
          lineNumbers(),
          history(),
          yaml(),
          syntaxHighlighting(marks),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": "The rule as a file", spellcheck: "false", tabindex: "0" }),
          autocompletion({
            icons: false,
            override: [
              ({ state, pos, explicit }) => {
                const { directory, saved } = latest.current;
                const { from, options } = completeRuleFile(state.doc.toString(), pos, directory ?? NOBODY, saved);
                // nothing is offered unasked where nothing has been written
                if (options.length === 0 || (!explicit && from === pos)) return null;
                return { from, filter: false, options: options.map((o) => ({ label: o.text, detail: o.about })) };
              },
            ],
          }),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap, indentWithTab]),
          kept,
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, []);
  useEffect(() => {
    const editor = view.current;
    if (editor === null) return;
    const length = editor.state.doc.length;
    const places = placesOf(editor.state.doc.toString(), issues).map(
      ({ from, to, message }): Diagnostic => ({
        from: Math.min(from, Math.max(0, length - 1)),
        to: Math.min(Math.max(to, from + 1), length),
        severity: "error",
        message,
      }),
    );
    editor.dispatch(setDiagnostics(editor.state, places));
  }, [issues]);
  return <div ref={host} data-testid="rule-file" className="mt-0.5" />;
}
