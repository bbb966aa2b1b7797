import { EditorView } from "@codemirror/view";
import { act, render } from "@testing-library/react";
import { freshPage } from "../testing/fresh-page";
import { FilterField } from "./filter-field";

freshPage();

/** A field whose value comes back when the test says so. */
function field(value: string) {
  const told: string[] = [];
  const element = (now: string) => (
    <FilterField
      label="Filter"
      placeholder=""
      className=""
      value={now}
      directory={null}
      saved={[]}
      zone="UTC"
      valuesOf={async () => []}
      onChange={(text) => told.push(text)}
      onSubmit={() => undefined}
    />
  );
  const { container, rerender } = render(element(value));
  const editor = EditorView.findFromDOM(container.querySelector<HTMLElement>(".cm-editor")!)!;
  return {
    told,
    text: () => editor.state.doc.toString(),
    type: (text: string) =>
      act(() => editor.dispatch({ changes: { from: editor.state.doc.length, insert: text }, userEvent: "input.type" })),
    comesBack: (text: string) => rerender(element(text)),
  };
}

test("what is typed while an earlier text comes back is not lost", () => {
  const f = field("sever");
  f.type("i");
  f.type("t");
  f.comesBack("severi");
  expect(f.text()).toBe("severit");
  f.type("y");
  f.comesBack("severit");
  f.comesBack("severity");
  expect(f.text()).toBe("severity");
  expect(f.told).toEqual(["severi", "severit", "severity"]);
});

test("what comes from elsewhere stands there, also what was typed before", () => {
  const f = field("");
  f.type("a");
  f.type("b");
  f.comesBack("ab");
  f.comesBack("app is sshd");
  expect(f.text()).toBe("app is sshd");
  // back to an earlier one: it was typed, and is meant now
  f.comesBack("a");
  expect(f.text()).toBe("a");
  f.comesBack("app is sshd");
  expect(f.text()).toBe("app is sshd");
  // and it is not told as if somebody had typed it
  expect(f.told).toEqual(["a", "ab"]);
});
