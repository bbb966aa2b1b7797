import { PaperDetail } from "@halvik/contract/papers";
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Written } from "./written";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const AT = "2026-11-28T02:14:07.000000Z";
const entry = (id: number, of: object, over: object = {}) => ({
  ...{ id, entry: of, author: "k.lind", created: AT, changed: AT, changedBy: "k.lind", version: 1 },
  ...over,
});
const paper = (entries: object[] = [], over: object = {}, facts: object = {}): PaperDetail =>
  PaperDetail.parse({
    id: 5,
    facts: { name: "Who was in as t.vik", ...facts },
    ...{ owner: "k.lind", mayWrite: true, version: 3, created: AT, changed: AT, changedBy: "k.lind", closed: null },
    ...{ pins: [], entries, leads: [], earlier: [], ...over },
  });
const HYPOTHESIS = { is: "hypothesis", text: "somebody has the password", state: "open", confidence: "low" };

function shown(of: PaperDetail, answers: Record<string, unknown> = { "POST /papers/5/entries": of }) {
  const asked = answering(answers);
  const gone: number[] = [];
  draw(<Written paper={of} onPin={(n) => gone.push(n)} />);
  return { asked, gone, user: userEvent.setup() };
}
const region = (name: string) => within(screen.getByRole("region", { name }));
const field = (name: string) => screen.getByLabelText(name) as HTMLInputElement;

test.each([
  ["A new hypothesis", "it was the backup", "hypothesis"],
  ["A new question", "who was on duty?", "question"],
  ["A new task", "ask the berth", "task"],
  ["A new note", "nothing in the flows", "note"],
])("%s begins with one line, without blanks around; it goes once it is taken", async (label, text, is) => {
  const { asked, user } = shown(paper());
  await user.type(field(label), `  ${text} {Enter}`);
  expect(asked).toEqual([["POST /papers/5/entries", { entry: { is, text } }]]);
  expect(field(label).value).toBe("");
});

test("what the server refuses stays, however long it is, and why is said", async () => {
  const { user } = shown(paper(), { "POST /papers/5/entries": refusal("the investigation was closed meanwhile") });
  await user.type(field("A new note"), "an hour of thought{Enter}");
  expect((await screen.findByRole("alert")).textContent).toBe("the investigation was closed meanwhile");
  expect(field("A new note").value).toBe("an hour of thought");
});

test("the return key pressed twice adds one, and with shift begins a new line of a note", async () => {
  const { asked, user } = shown(paper());
  await user.type(field("A new note"), "one{Shift>}{Enter}{/Shift}two{Enter}{Enter}");
  expect(asked).toEqual([["POST /papers/5/entries", { entry: { is: "note", text: "one\ntwo" } }]]);
});

test.each([
  ["Hypotheses", HYPOTHESIS, "somebody has the password"],
  ["Questions", { is: "question", text: "who was on duty?" }, "who was on duty?"],
  ["Tasks", { is: "task", text: "ask the berth" }, "ask the berth"],
  ["Notes", { is: "note", text: "nothing in the flows" }, "what k.lind noted"],
])("of the %s one is deleted only when that is meant", async (name, of, about) => {
  const { asked, user } = shown(paper([entry(9, of)]), { "DELETE /papers/5/entries/9": paper() });
  await user.click(region(name).getByRole("button", { name: `delete: ${about}` }));
  expect(asked).toEqual([]);
  await user.click(region(name).getByRole("button", { name: `delete it for good: ${about}` }));
  expect(asked).toEqual([["DELETE /papers/5/entries/9", null]]);
});

test("a hypothesis is refuted, of the version that was seen", async () => {
  const of = paper([entry(9, HYPOTHESIS, { version: 4 })]);
  const { asked, user } = shown(of, { "PATCH /papers/5/entries/9": of });
  await user.click(screen.getByLabelText("State of the hypothesis"));
  await user.click(screen.getByRole("option", { name: "refuted" }));
  expect(asked).toMatchObject([["PATCH /papers/5/entries/9", { entry: { state: "refuted" }, version: 4 }]]);
});

test("how many questions are open and tasks to do; a task is done by its box", async () => {
  const of = paper([
    entry(1, { is: "question", text: "who?", answer: "" }),
    entry(2, { is: "question", text: "when?", answer: "at night" }),
    entry(3, { is: "task", text: "ask", isDone: true }),
  ]);
  const { asked, user } = shown(of, { "PATCH /papers/5/entries/3": of });
  expect(screen.getByRole("heading", { name: /^Questions/ }).textContent).toContain("1 open");
  expect(screen.getByRole("heading", { name: /^Tasks/ }).textContent).toContain("all done");
  await user.click(screen.getByRole("checkbox", { name: "ask" }));
  expect(asked).toMatchObject([["PATCH /papers/5/entries/3", { entry: { isDone: false } }]]);
});

test("a number in a note leads to its pin; what looks like a page is text", async () => {
  const { gone, user } = shown(paper([entry(1, { is: "note", text: "see #12 <img src=x>" })]));
  await user.click(screen.getByText("#12"));
  expect(gone).toEqual([12]);
  expect(document.querySelector("img")).toBeNull();
});

test.each([
  ["who may only read", paper([entry(9, HYPOTHESIS)], { mayWrite: false })],
  ["nobody, once it is closed", paper([entry(9, HYPOTHESIS)], {}, { state: "closed" })],
])("written in by %s", (_who, of) => {
  shown(of);
  expect(screen.queryByLabelText("A new note")).toBeNull();
  expect(screen.queryByRole("button", { name: /^delete/ })).toBeNull();
});

test("earlier ones that have things in common with it", () => {
  const earlier = [
    { id: 2, name: "The guessed password", conclusion: "it was guessed", closed: AT, shares: ["t.vik"] },
  ];
  shown(paper([], { earlier }));
  const link = screen.getByRole("link", { name: "The guessed password" });
  expect(link.getAttribute("href")).toBe("/investigations/2");
  expect(link.parentElement!.textContent).toContain("it was guessed shares t.vik");
});
