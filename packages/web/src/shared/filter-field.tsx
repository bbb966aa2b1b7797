import {
  acceptCompletion,
  autocompletion,
  type CompletionContext,
  closeCompletion,
  completionKeymap,
  startCompletion,
} from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { type Diagnostic, forceLinting, linter } from "@codemirror/lint";
import { EditorState, Prec } from "@codemirror/state";
import { EditorView, keymap, placeholder as shownWhenEmpty } from "@codemirror/view";
import { SenderDirectory } from "@halvik/core/model/senders";
import {
  completeFilter,
  parseFilterOf,
  quoteIfNeeded,
  RECORDS,
  type SavedText,
  type Vocabulary,
} from "@halvik/core/query/filter";
import { useEffect, useRef } from "react";
import type { Offers } from "../data/use-field-values";
import { EDITOR_LOOK } from "../ui/editor-look";
import { useEditorText } from "../ui/use-editor-text";

interface FilterFieldProps {
  readonly label: string;
  readonly placeholder: string;
  readonly className: string;
  readonly value: string;
  /** Null while the senders are not known yet: names are then not checked. */
  readonly directory: SenderDirectory | null;
  readonly saved: readonly SavedText[];
  readonly zone: string;
  /** Whether it may be asked what came after something: of stored records, not in rules. */
  readonly allowsAfter?: boolean;
  /** What it filters: records, unless it says. */
  readonly vocabulary?: Vocabulary;
  /** What of the store may stand there, the most frequent first. */
  readonly valuesOf: Offers;
  readonly onChange: (text: string) => void;
  readonly onSubmit: (text: string) => void;
}

const look = EditorView.theme({
  "&.cm-focused": { outline: "none" },
  ".cm-content": { fontFamily: "var(--font-mono)", padding: "var(--filter-pad, 7px) 0", caretColor: "var(--ink)" },
  ".cm-line": { padding: "0 var(--filter-side, 10px)" },
  ".cm-placeholder": { color: "var(--quiet)" },
  ...EDITOR_LOOK,
  ".cm-diagnosticAction": { background: "var(--ink)", color: "var(--paper)", borderRadius: "2px" },
});

const NOBODY = new SenderDirectory([]);

const parseContext = ({
  directory,
  saved,
  zone,
  allowsAfter = false,
}: Pick<FilterFieldProps, "directory" | "saved" | "zone" | "allowsAfter">) =>
  directory === null ? { zone, saved, allowsAfter } : { zone, saved, allowsAfter, directory };

/** The filter as an editor of one line: completion from the field table, errors in place with what may have been meant. */
export function FilterField({
  label,
  placeholder,
  className,
  value,
  directory,
  saved,
  zone,
  allowsAfter = false,
  vocabulary = RECORDS,
  valuesOf,
  onChange,
  onSubmit,
}: FilterFieldProps) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const kept = useEditorText(view, value, onChange);
  const latest = useRef({ directory, saved, zone, allowsAfter, valuesOf, onSubmit });
  latest.current = { directory, saved, zone, allowsAfter, valuesOf, onSubmit };

  useEffect(() => {
    const complete = async (context: CompletionContext) => {
      const found = completeFilter(
        context.state.doc.toString(),
        context.pos,
        latest.current.directory ?? NOBODY,
        latest.current.saved.map((s) => s.name),
        latest.current.allowsAfter,
        vocabulary,
      );
      const { from } = found;
      const typed = context.state.sliceDoc(from, context.pos).toLowerCase();
      const values = found.valuesOf === null ? [] : await latest.current.valuesOf(found.valuesOf);
      // applied or left meanwhile
      if (context.aborted || !view.current?.hasFocus) return null;
      const options = [
        ...found.options,
        ...values
          .filter((v) => v.label.toLowerCase().startsWith(typed))
          .map((v) => ({ text: quoteIfNeeded(v.label), about: v.about })),
      ];
      if (
        options.length === 0 ||
        (!context.explicit && from === context.pos && context.state.doc.length > 0 && !context.matchBefore(/\s$/))
      )
        return null;
      return {
        from,
        filter: false,
        options: options.slice(0, 60).map((o) => ({ label: o.text, detail: o.about, apply: `${o.text} ` })),
      };
    };
    const lint = (editor: EditorView): Diagnostic[] => {
      const parsed = parseFilterOf(vocabulary, editor.state.doc.toString(), parseContext(latest.current));
      if (parsed.ok) return [];
      const { span, message, suggestion } = parsed.error;
      const length = editor.state.doc.length;
      const from = Math.min(span.start, Math.max(0, length - 1));
      const to = Math.min(Math.max(span.end, from + 1), length);
      const actions =
        suggestion === null
          ? []
          : [
              {
                name: suggestion === "" ? "leave it out" : `use ${suggestion}`,
                apply: (e: EditorView) =>
                  e.dispatch({ changes: { from: span.start, to: Math.min(span.end, length), insert: suggestion } }),
              },
            ];
      return [{ from, to, severity: "error", message, actions }];
    };
    const editor = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          look,
          history(),
          shownWhenEmpty(placeholder),
          EditorView.contentAttributes.of({ "aria-label": label, spellcheck: "false", autocapitalize: "off" }),
          EditorView.lineWrapping,
          // one line: a line break submits or becomes a space
          EditorState.transactionFilter.of((tr) => (tr.newDoc.lines > 1 ? [] : tr)),
          Prec.highest(
            keymap.of([
              { key: "Tab", run: acceptCompletion },
              {
                key: "Enter",
                run: (e) => {
                  const text = e.state.doc.toString();
                  latest.current.onSubmit(text);
                  // applied: the keys go to the list again
                  if (parseFilterOf(vocabulary, text, parseContext(latest.current)).ok) {
                    closeCompletion(e);
                    e.contentDOM.blur();
                  }
                  return true;
                },
              },
              {
                key: "Escape",
                run: (e) => {
                  if (document.querySelector(".cm-tooltip-autocomplete")) return false;
                  e.contentDOM.blur();
                  return true;
                },
              },
              { key: "Ctrl-Space", run: startCompletion },
            ]),
          ),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          autocompletion({ override: [complete], icons: false }),
          linter(lint, { delay: 150 }),
          kept,
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, []);

  // what was checked without the senders is checked again with them
  useEffect(() => {
    if (view.current) forceLinting(view.current);
  }, [directory]);

  return <div ref={host} className={`text-ui ${className}`} />;
}
