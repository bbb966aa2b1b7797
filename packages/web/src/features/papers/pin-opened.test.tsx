import { PaperDetail } from "@halvik/contract/papers";
import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { answering, refusal } from "../../testing/answering";
import { recordJson } from "../../testing/answers";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { PinOpened } from "./pin-opened";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const AT = "2026-11-28T02:14:07.000000Z";
const pin = (number: number, over: object = {}) => ({
  number,
  pinned: { is: "record", id: String(number) },
  record: recordJson({ id: String(number), text: `line ${number}` }),
  ...{ reason: "the first", techniques: [], by: "k.lind", at: AT, version: 4 },
  ...over,
});
const paper = (over: object = {}): PaperDetail =>
  PaperDetail.parse({
    id: 5,
    facts: { name: "Who was in as t.vik" },
    ...{ owner: "k.lind", mayWrite: true, version: 3, created: AT, changed: AT, changedBy: "k.lind", closed: null },
    ...{ pins: [pin(1), pin(2)], entries: [], leads: [], earlier: [], ...over },
  });

function opened(answers: Record<string, unknown>, { mayWrite = true, of = paper() } = {}) {
  const asked = answering(answers);
  const gone: number[] = [];
  draw(<PinOpened pin={of.pins[0]!} paper={of} mayWrite={mayWrite} onShow={(n) => gone.push(n)} />);
  return { asked, gone, user: userEvent.setup() };
}

test("what is kept of a record is its own text, whatever looks like a page in it", () => {
  const of = paper({ pins: [pin(1, { record: recordJson({ text: "<img src=x>\u202e" }) })] });
  opened({}, { of });
  expect(screen.getByText("<img src=x>⟨202E⟩")).toBeTruthy();
  expect(document.querySelector("img")).toBeNull();
  expect(document.body.textContent).toContain("pinned by k.lind, 28 Nov 02:14");
});

test("unpinned, with what is kept of it, only when that is meant", async () => {
  const { asked, user } = opened({ "DELETE /papers/5/pins/1": paper() });
  await user.click(screen.getByRole("button", { name: "unpin" }));
  expect(asked).toEqual([]);
  await user.click(screen.getByRole("button", { name: "unpin it, with what is kept of it, for good" }));
  expect(asked).toHaveLength(1);
});

async function draws(user: ReturnType<typeof userEvent.setup>) {
  await user.click(screen.getByLabelText("Leads to"));
  await user.click(screen.getByRole("option", { name: /^#2/ }));
  await user.type(screen.getByLabelText("How it leads there"), "the same hour");
  await user.click(screen.getByRole("button", { name: "draw the arrow" }));
}

test("an arrow to another pin, with how it leads there; not to itself", async () => {
  const { asked, user } = opened({ "POST /papers/5/links": paper() });
  await user.click(screen.getByLabelText("Leads to"));
  expect(screen.getAllByRole("option").map((o) => o.textContent!.slice(0, 2))).toEqual(["#2"]);
  await user.keyboard("{Escape}");
  await draws(user);
  expect(asked).toEqual([["POST /papers/5/links", { from: 1, to: 2, why: "the same hour" }]]);
  expect(screen.queryByLabelText("How it leads there")).toBeNull();
});

test("one that is refused stays to be drawn otherwise, and why is said", async () => {
  const { user } = opened({ "POST /papers/5/links": refusal("there is such an arrow already") });
  await draws(user);
  expect((await screen.findByRole("alert")).textContent).toBe("there is such an arrow already");
  expect((screen.getByLabelText("How it leads there") as HTMLInputElement).value).toBe("the same hour");
});

test("where arrows lead and come from; one drawn by hand is taken away", async () => {
  const lead = (id: number | null, from: number, to: number) => ({ id, from, to, kind: "drawn", by: "the same hour" });
  const of = paper({ leads: [lead(8, 1, 2), lead(null, 2, 1)] });
  const { asked, gone, user } = opened({ "DELETE /papers/5/links/8": of }, { of });
  const leads = within(screen.getByRole("list", { name: "Leads" })).getAllByRole("listitem");
  expect(leads.map((l) => l.textContent!.split(" #")[0])).toEqual(["leads to", "comes from"]);
  await user.click(within(leads[1]!).getByRole("button", { name: "#2" }));
  expect(gone).toEqual([2]);
  // only what somebody drew can be taken away
  expect(within(leads[1]!).queryByRole("button", { name: /^No arrow/ })).toBeNull();
  await user.click(within(leads[0]!).getByRole("button", { name: "No arrow to #2" }));
  expect(asked).toHaveLength(1);
});

test("who may only read changes nothing", () => {
  opened({}, { mayWrite: false });
  expect(screen.queryByRole("button", { name: /unpin|arrow/ })).toBeNull();
  expect(screen.queryByLabelText("Leads to")).toBeNull();
});
