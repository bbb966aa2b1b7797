import { fireEvent, screen } from "@testing-library/react";
import { useLocation } from "react-router";
import { DEFAULT_WINDOW_US, useViewStore } from "../data/view-store";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { useGlobalKeys, usePageKeys } from "./keys";

freshPage();

const said: string[] = [];
function Page() {
  useGlobalKeys({
    openPalette: () => said.push("palette"),
    openHelp: () => said.push("help"),
    pin: () => said.push("pin"),
  });
  usePageKeys({ j: () => said.push("j"), k: () => said.push("k"), Enter: () => said.push("open") });
  return (
    <>
      <output>{useLocation().pathname}</output>
      <input aria-label="words" />
      <button type="button">act</button>
      <button type="button" role="combobox" aria-expanded={false} aria-controls="none">
        choose
      </button>
      <div role="listbox" tabIndex={0}>
        list
      </div>
    </>
  );
}
beforeEach(() => {
  said.length = 0;
  useViewStore.setState({ window: { spanUs: DEFAULT_WINDOW_US, endUs: null } });
  draw(<Page />);
});
const press = (key: string, on: Element = document.body, more: object = {}) => fireEvent.keyDown(on, { key, ...more });
const where = () => screen.getByRole("status").textContent;

test.each([
  ["n", "/now"],
  ["r", "/records"],
  ["i", "/incidents"],
  ["v", "/investigations"],
  ["u", "/rules"],
  ["k", "/intake"],
])("g, then %s: to %s, and the letter does nothing else", (letter, path) => {
  press("g");
  press(letter);
  expect(where()).toBe(path);
  expect(said).toEqual([]);
});

test("without g a letter is the page's own", () => {
  press("j");
  press("k");
  press("Enter");
  expect(said).toEqual(["j", "k", "open"]);
  expect(where()).toBe("/");
});

test("the window: narrower, wider, back, to now", () => {
  press("{");
  expect(useViewStore.getState().window.spanUs).toBe(DEFAULT_WINDOW_US / 2);
  press("}");
  expect(useViewStore.getState().window.spanUs).toBe(DEFAULT_WINDOW_US);
  press("[");
  expect(useViewStore.getState().window.endUs).not.toBeNull();
  press(".");
  expect(useViewStore.getState().window.endUs).toBeNull();
});

test("while one types, or a list is open, letters are letters", () => {
  for (const on of [screen.getByLabelText("words"), screen.getByRole("combobox"), screen.getByRole("listbox")]) {
    press("j", on);
    press("?", on);
    press("{", on);
  }
  expect(said).toEqual([]);
  expect(useViewStore.getState().window.spanUs).toBe(DEFAULT_WINDOW_US);
});

test("enter belongs to the button that has the focus", () => {
  press("Enter", screen.getByRole("button", { name: "act" }));
  expect(said).toEqual([]);
});

test("the palette opens while one types, the browser's own chords stay", () => {
  press("k", screen.getByLabelText("words"), { ctrlKey: true });
  press("?");
  press("p");
  press("j", document.body, { ctrlKey: true });
  expect(said).toEqual(["palette", "help", "pin"]);
});
