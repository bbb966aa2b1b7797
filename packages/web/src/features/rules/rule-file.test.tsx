import { EditorView } from "@codemirror/view";
import { act, render } from "@testing-library/react";
import { freshPage } from "../../testing/fresh-page";
import { RuleFile } from "./rule-file";

freshPage();

test("what is typed while an earlier text comes back is not lost; a form's change stands there", () => {
  const told: string[] = [];
  const element = (text: string) => (
    <RuleFile text={text} issues={[]} help={{ directory: null, saved: [] }} onChange={(now) => told.push(now)} />
  );
  const { container, rerender } = render(element("id: "));
  const editor = EditorView.findFromDOM(container.querySelector<HTMLElement>(".cm-editor")!)!;
  const type = (text: string) =>
    act(() => editor.dispatch({ changes: { from: editor.state.doc.length, insert: text }, userEvent: "input.type" }));
  type("a");
  type("b");
  rerender(element("id: a"));
  expect(editor.state.doc.toString()).toBe("id: ab");
  rerender(element("id: ab"));
  rerender(element("id: ab\nname: Doors\n"));
  expect(editor.state.doc.toString()).toBe("id: ab\nname: Doors\n");
  expect(told).toEqual(["id: a", "id: ab"]);
});
