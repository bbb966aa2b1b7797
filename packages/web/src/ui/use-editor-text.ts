import type { Extension } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { type RefObject, useEffect, useRef } from "react";

/**
 * Keeps an editor and the value of its owner the same. What is typed is told and comes back as the value later, on a busy machine after more
 * was typed: what comes back is known as one's own and changes nothing, what comes from elsewhere replaces the text.
 * @returns what the editor is to be made with
 */
export function useEditorText(
  view: RefObject<EditorView | null>,
  value: string,
  onChange: (text: string) => void,
): Extension {
  const told = useRef<string[]>([]);
  const isFromOutside = useRef(false);
  const latest = useRef(onChange);
  latest.current = onChange;

  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const isThere = editor.state.doc.toString() === value;
    const typedBefore = told.current.indexOf(value);
    told.current = isThere || typedBefore < 0 ? [] : told.current.slice(typedBefore + 1);
    if (isThere || typedBefore >= 0) return;
    isFromOutside.current = true;
    editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
    isFromOutside.current = false;
  }, [view, value]);

  return EditorView.updateListener.of((u) => {
    if (!u.docChanged || isFromOutside.current) return;
    const text = u.state.doc.toString();
    told.current.push(text);
    latest.current(text);
  });
}
