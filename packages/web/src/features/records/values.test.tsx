import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { recordJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { type Pivot, type PivotActions, TextWithValues } from "./values";

freshPage();

const shown = (over: Parameters<typeof recordJson>[0]) => {
  const done: [string, string][] = [];
  const on = (what: string) => (p: Pivot) => done.push([what, p.only]);
  const actions: PivotActions = {
    only: on("only"),
    without: on("without"),
    seen: on("seen"),
    around: (r) => done.push(["around", r.id]),
    rightAfter: on("right after"),
    show: (id) => done.push(["show", id]),
  };
  const { container } = draw(<TextWithValues record={recordJson(over)} actions={actions} />);
  return { done, container, user: userEvent.setup() };
};
const values = () => screen.getAllByRole("button").map((b) => b.textContent);

test("the record's own values and every address in its text can be gone on from; the text is as it was", () => {
  const text = "Failed password for k.lind from 203.0.113.9 port 40001 via 2001:db8::7";
  const { container } = shown({ text, users: ["k.lind"], srcPort: 40_001 });
  expect(values()).toEqual(["k.lind", "203.0.113.9", "40001", "2001:db8::7"]);
  expect(container.textContent).toBe(text);
});

test.each([
  ["part of a longer word", "klindus knows", { users: ["klind"] }],
  ["a port within a longer number", "session 440001", { srcPort: 40_001 }],
  ["no value at all", "nothing here", {}],
])("not: %s", (_what, text, over) => {
  shown({ text, ...over });
  expect(screen.queryByRole("button")).toBeNull();
});

test("a menu says what can be done; the filter it makes quotes what needs quotes", async () => {
  const { done, user } = shown({ text: "logon of Kari Lind", users: ["Kari Lind"] });
  for (const item of ["only with this", "without this", "around this", "first and last seen"]) {
    await user.click(screen.getByRole("button", { name: "Kari Lind" }));
    await user.click(screen.getByRole("menuitem", { name: item }));
  }
  expect(done).toEqual([
    ["only", 'user is "Kari Lind"'],
    ["without", 'user is "Kari Lind"'],
    ["around", "1"],
    ["seen", 'user is "Kari Lind"'],
  ]);
});

test("hostile text between values is text", () => {
  const { container } = shown({ text: "<b>x</b>\u202e from 203.0.113.9" });
  expect(container.textContent).toBe("<b>x</b>⟨202E⟩ from 203.0.113.9");
  expect(container.querySelector("b")).toBeNull();
});
