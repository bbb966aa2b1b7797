import { PaperDetail } from "@halvik/contract/papers";
import type { Session } from "@halvik/contract/status";
import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { HandOver } from "./hand-over";

freshPage();

const AT = "2026-11-28T02:14:07.000000Z";
const paper = (facts: object = {}, over: object = {}): PaperDetail =>
  PaperDetail.parse({
    id: 5,
    facts: { name: "Who was in as t.vik", ...facts },
    ...{ owner: "k.lind", mayWrite: true, version: 3, created: AT, changed: AT, changedBy: "k.lind", closed: null },
    ...{ pins: [], entries: [], leads: [], earlier: [], ...over },
  });
const shown = (of: PaperDetail, who = "k.lind", answers: Record<string, unknown> = {}) => {
  const asked = answering({ "PATCH /papers/5": of, ...answers });
  draw(<HandOver paper={of} />, { answers: [[["session"], { name: who } as Session]] });
  return { asked, user: userEvent.setup() };
};
const people = () =>
  within(screen.getByRole("region", { name: "Who may see it" }))
    .getAllByRole("listitem")
    .map((l) => l.textContent);

test("it is taken along in each form, by an address of its own", () => {
  shown(paper());
  const links = screen.getAllByRole("link").map((l) => l.getAttribute("href"));
  expect(links).toEqual(["markdown", "pdf", "bundle", "stix", "iodef"].map((as) => `/api/v1/papers/5/hand-over/${as}`));
});

test("whoever began it lets others in, once each, to read; and sees who is in", async () => {
  const { asked, user } = shown(paper({ people: [{ name: "m.dahl", may: "read" }] }));
  expect(people()[0]).toBe("k.lind began it");
  const field = screen.getByLabelText("An account to let in") as HTMLInputElement;
  await user.type(field, "m.dahl{Enter}");
  expect(asked).toEqual([]);
  await user.clear(field);
  await user.type(field, " t.vik {Enter}");
  expect(asked).toMatchObject([
    [
      "PATCH /papers/5",
      {
        version: 3,
        facts: {
          people: [
            { name: "m.dahl", may: "read" },
            { name: "t.vik", may: "read" },
          ],
        },
      },
    ],
  ]);
  await waitFor(() => expect(field.value).toBe(""));
});

test("an account that there is not is said, and stays to be mended", async () => {
  const { user } = shown(paper(), "k.lind", { "PATCH /papers/5": refusal("there is no account “t.wik”") });
  const field = screen.getByLabelText("An account to let in") as HTMLInputElement;
  await user.type(field, "t.wik{Enter}");
  expect((await screen.findByRole("alert")).textContent).toBe("there is no account “t.wik”");
  expect(field.value).toBe("t.wik");
});

test("a right is given or taken, one is taken out, all may read", async () => {
  const { asked, user } = shown(paper({ people: [{ name: "m.dahl", may: "read" }] }));
  await user.click(screen.getByRole("combobox", { name: "What m.dahl may do" }));
  await user.click(screen.getByRole("option", { name: "write" }));
  await user.click(screen.getByRole("button", { name: "take out" }));
  await user.click(screen.getByRole("checkbox", { name: "whoever has an account may read it" }));
  expect(asked.map(([, body]) => (body as { facts: object }).facts)).toMatchObject([
    { people: [{ name: "m.dahl", may: "write" }] },
    { people: [] },
    { shared: true },
  ]);
});

test.each<[string, string, object, object]>([
  ["another", "m.dahl", {}, {}],
  ["whoever may only read", "k.lind", {}, { mayWrite: false }],
  ["anybody, once it is closed", "k.lind", { state: "closed" }, { closed: AT }],
])("%s lets nobody in", (_what, who, facts, over) => {
  shown(paper(facts, over), who);
  expect(screen.queryByLabelText("An account to let in")).toBeNull();
  expect(screen.getByText("says k.lind, who began it")).toBeTruthy();
});

test("it is deleted by whoever began it, who is told what goes with it", async () => {
  const { asked, user } = shown(paper(), "k.lind", { "DELETE /papers/5": null });
  await user.click(screen.getByRole("button", { name: "delete this investigation …" }));
  expect(screen.getByText(/^0 pins go with it/)).toBeTruthy();
  await user.click(screen.getByRole("button", { name: "Keep it" }));
  expect(asked).toEqual([]);
  await user.click(screen.getByRole("button", { name: "delete this investigation …" }));
  await user.click(screen.getByRole("button", { name: "Delete it" }));
  await waitFor(() => expect(asked).toEqual([["DELETE /papers/5", null]]));
});

test("another cannot delete it", () => {
  shown(paper(), "m.dahl");
  expect(screen.queryByRole("button", { name: "delete this investigation …" })).toBeNull();
});
