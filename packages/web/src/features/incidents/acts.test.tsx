import type { BulkAct } from "@halvik/contract/incidents";
import type { Session } from "@halvik/contract/status";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore, usOf } from "../../data/view-store";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Acts } from "./acts";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC", nowUs: usOf("2026-11-28T02:15:00.000000Z") }));

const DONE = { changed: [7, 8], refused: [], undo: 3 };
const acting = (over: Partial<Parameters<typeof Acts>[0]> = {}, answer: unknown = DONE) => {
  const asked = answering({ "POST /incidents/bulk": answer });
  let done = 0;
  draw(<Acts ids={[7, 8]} onDone={() => done++} {...over} />, {
    answers: [[["session"], { name: "k.lind" } as Session]],
  });
  return {
    user: userEvent.setup(),
    sent: () => asked.map(([, body]) => body as BulkAct),
    done: () => done,
    press: async (name: string) => userEvent.setup().click(screen.getByRole("button", { name })),
  };
};
const form = () => screen.queryByRole("form");

test("acknowledged at once, for all that are chosen; the form goes", async () => {
  const { user, sent, done } = acting();
  await user.keyboard("a");
  await user.keyboard("I saw it{Enter}");
  expect(sent()).toEqual([{ ids: [7, 8], act: { what: "acknowledge", note: "I saw it" } }]);
  expect(form()).toBeNull();
  expect(done()).toBe(1);
});

test("in a note a line may end; Ctrl+Enter sends; an empty one is none", async () => {
  const { user, sent } = acting();
  await user.keyboard("n");
  await user.keyboard("{Control>}{Enter}{/Control}");
  expect(sent()).toEqual([]);
  await user.keyboard("two{Enter}lines{Control>}{Enter}{/Control}");
  expect(sent()).toEqual([{ ids: [7, 8], act: { what: "note", note: "two\nlines" } }]);
});

test("closed for a reason, with a note where somebody writes one", async () => {
  const { user, sent } = acting();
  await user.keyboard("c");
  await user.click(screen.getByRole("radio", { name: /^false/ }));
  await user.type(screen.getByLabelText(/^Note/), "a scanner of ours{Enter}");
  expect(sent()).toEqual([{ ids: [7, 8], act: { what: "close", reason: "false", note: "a scanner of ours" } }]);
});

test("shelved for a while, and only with why", async () => {
  const { user, sent, press } = acting();
  await press("Shelve");
  const send = screen.getAllByRole("button", { name: "Shelve" }).at(-1) as HTMLButtonElement;
  expect(send.disabled).toBe(true);
  await user.click(screen.getByRole("combobox", { name: "How long" }));
  await user.click(screen.getByRole("option", { name: "for four hours" }));
  await user.type(screen.getByLabelText("Why"), "until the ferry is in");
  await user.click(send);
  expect(sent()).toEqual([
    { ids: [7, 8], act: { what: "shelve", until: "2026-11-28T06:15:00.000Z", why: "until the ferry is in" } },
  ]);
});

test.each([
  ["m.dahl", "m.dahl"],
  ["  ", null],
])("assigned to %j", async (typed, to) => {
  const { user, sent, press } = acting();
  await press("Assign");
  await user.keyboard(`${typed}{Enter}`);
  expect(sent()).toEqual([{ ids: [7, 8], act: { what: "assign", to } }]);
});

test("assigned to oneself by one button", async () => {
  const { sent, press } = acting();
  await press("Assign");
  await press("To me");
  expect(sent()).toEqual([{ ids: [7, 8], act: { what: "assign", to: "k.lind" } }]);
});

test("what was typed stays while one thinks again, whichever act it turns out to be for", async () => {
  const { user } = acting();
  await user.keyboard("a");
  await user.keyboard("half a thou");
  await user.keyboard("{Escape}");
  expect(form()).toBeNull();
  await user.keyboard("n");
  expect((screen.getByLabelText(/^Note/) as HTMLTextAreaElement).value).toBe("half a thou");
});

test("what the server says no to is not done: the form stays, with what was typed", async () => {
  const { user, done } = acting({}, refusal("another has closed it"));
  await user.keyboard("a");
  await user.keyboard("mine{Enter}");
  expect(form()).not.toBeNull();
  expect((screen.getByLabelText(/^Note/) as HTMLTextAreaElement).value).toBe("mine");
  expect(done()).toBe(0);
});

test("what makes no sense for it is not offered, by button or by key; nothing chosen, nothing opens", async () => {
  const { user } = acting({ without: ["acknowledge"] });
  expect(screen.queryByRole("button", { name: /^Acknowledge/ })).toBeNull();
  await user.keyboard("a");
  expect(form()).toBeNull();
});

test("with nothing chosen nothing opens", async () => {
  const { user } = acting({ ids: [] });
  await user.keyboard("c");
  expect(form()).toBeNull();
});
