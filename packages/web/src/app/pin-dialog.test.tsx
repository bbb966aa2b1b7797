import { act, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { rememberPaper } from "../data/last-paper";
import { papersQuery } from "../data/paper-queries";
import { usePinning } from "../shared/pinning";
import { answering, refusal } from "../testing/answering";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { PinDialog } from "./pin-dialog";

freshPage();
afterEach(() => act(() => usePinning.getState().begin(null)));

const paper = (id: number, name: string, over: object = {}) => ({ id, name, mayWrite: true, state: "open", ...over });
const list = (...papers: object[]) => ({ papers, more: false });
const RECORD = { label: "the record refused", pin: { is: "record", id: "1" } } as const;
const MADE = { number: 1, isNew: true };

/** @param known what was listed before; null: nothing yet */
function pinning(known: object | null, answers: Record<string, unknown>, choices: object[] = [RECORD]) {
  const asked = answering(answers);
  draw(<PinDialog />, { answers: known === null ? [] : [[papersQuery().queryKey, known]] });
  act(() => usePinning.getState().begin(choices as never));
  return { user: userEvent.setup(), sent: () => asked.filter(([what]) => what.startsWith("POST")) };
}
const why = () => screen.getByLabelText("Why");

test("pinned to the last one with why, by the return key; the dialog goes", async () => {
  rememberPaper(7);
  const { user, sent } = pinning(list(paper(3, "others"), paper(7, "mine")), { "POST /papers/7/pins": MADE });
  await user.type(why(), "the first{Enter}");
  expect(sent()).toEqual([["POST /papers/7/pins", { pin: RECORD.pin, reason: "the first" }]]);
  expect(screen.queryByRole("dialog")).toBeNull();
});

test("who is quicker than the list is not taken elsewhere, and need not press the key again", async () => {
  rememberPaper(7);
  let answer: (papers: object) => void = () => undefined;
  const later = new Promise<object>((done) => {
    answer = done;
  });
  const pinned: string[] = [];
  globalThis.fetch = async (address, { method = "GET" } = {}) => {
    if (method === "GET") return Response.json(await later);
    pinned.push(new URL(String(address), "http://halvik.example").pathname);
    return Response.json(MADE);
  };
  // the list of before the last one was begun: another one is in it, and it is asked for anew
  const { client } = draw(<PinDialog />, { answers: [[papersQuery().queryKey, list(paper(3, "others"))]] });
  void client.invalidateQueries({ queryKey: ["papers"] });
  act(() => usePinning.getState().begin([RECORD]));
  await userEvent.type(why(), "the second{Enter}");
  expect(pinned).toEqual([]);
  answer(list(paper(3, "others"), paper(7, "mine")));
  await waitFor(() => expect(pinned).toEqual(["/api/v1/papers/7/pins"]));
  await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
});

test("a new one is begun by its name, once, also where what is pinned is refused at first", async () => {
  const { user, sent } = pinning(list(), {
    "POST /papers": { id: 9 },
    "POST /papers/9/pins": refusal("that record is gone"),
  });
  await user.type(why(), "x{Enter}");
  // a name is needed
  expect(sent()).toEqual([]);
  await user.type(screen.getByLabelText("Its name"), "Why did it stop?");
  await user.click(screen.getByRole("button", { name: "Pin it" }));
  expect((await screen.findByRole("alert")).textContent).toBe("that record is gone");
  await user.click(screen.getByRole("button", { name: "Pin it" }));
  expect(sent().map(([what]) => what)).toEqual(["POST /papers", "POST /papers/9/pins", "POST /papers/9/pins"]);
});

test("what is closed or only to be read is no place", async () => {
  const { user } = pinning(
    list(paper(1, "closed one", { state: "closed" }), paper(2, "of another", { mayWrite: false }), paper(3, "mine")),
    {},
  );
  await user.click(screen.getByLabelText("Investigation"));
  expect(screen.getAllByRole("option").map((o) => o.textContent)).toEqual(["mine", "a new one …"]);
});

test("of several things the one that is meant", async () => {
  const search = { label: "the search refused", pin: { is: "search", filter: "refused" } };
  const { user, sent } = pinning(list(paper(3, "mine")), { "POST /papers/3/pins": MADE }, [RECORD, search]);
  await user.click(screen.getByLabelText("What"));
  await user.click(screen.getByRole("option", { name: "the search refused" }));
  await user.click(screen.getByRole("button", { name: "Pin it" }));
  expect(sent()).toEqual([["POST /papers/3/pins", { pin: search.pin, reason: "" }]]);
});
