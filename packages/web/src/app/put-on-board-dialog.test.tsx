import { type Board, TileShows } from "@halvik/core/board";
import { act, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { boardsQuery } from "../data/board-queries";
import { usePutOnBoard } from "../shared/put-on-board";
import { answering, refusal } from "../testing/answering";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { PutOnBoardDialog } from "./put-on-board-dialog";

freshPage();
afterEach(() => act(() => usePutOnBoard.getState().begin(null)));

const CLOCK = {
  label: "the clock",
  tile: { shows: TileShows.parse({ is: "clock", title: "Clock", zone: "UTC" }), window: null },
};
const kept = (id: number, name: string, over: object = {}) => ({
  id,
  board: { name, about: "", tiles: [] } as unknown as Board,
  owner: "owner",
  shared: false,
  mine: true,
  version: 3,
  ...over,
});

function putting(boards: object[], answers: Record<string, unknown>, choices: object[] = [CLOCK]) {
  const asked = answering(answers);
  draw(<PutOnBoardDialog />, { answers: [[boardsQuery.queryKey, { boards, ready: [] }]] });
  act(() => usePutOnBoard.getState().begin(choices as never));
  return { user: userEvent.setup(), sent: () => asked.filter(([what]) => !what.startsWith("GET")) };
}
const put = () => screen.getByRole("button", { name: "Put it there" }) as HTMLButtonElement;

test("on one's own, of the version that was seen, below what stands there", async () => {
  const { user, sent } = putting([kept(1, "Theirs", { mine: false, shared: true, owner: "t.vik" }), kept(2, "Mine")], {
    "PATCH /boards/2": kept(2, "Mine"),
  });
  await user.click(put());
  expect(sent()).toMatchObject([
    ["PATCH /boards/2", { board: { name: "Mine", tiles: [{ shows: { is: "clock" } }] }, shared: false, version: 3 }],
  ]);
  expect(screen.queryByRole("dialog")).toBeNull();
});

test("where only others have boards it goes on a new one, which needs a name", async () => {
  const { user, sent } = putting([kept(1, "Theirs", { mine: false, shared: true, owner: "t.vik" })], {
    "POST /boards": kept(9, "Night"),
  });
  expect(put().disabled).toBe(true);
  await user.type(screen.getByLabelText("Its name"), "Night");
  await user.click(put());
  expect(sent()).toMatchObject([["POST /boards", { board: { name: "Night", tiles: [{}] }, shared: false }]]);
});

test("what is refused is said, and stays to be put elsewhere", async () => {
  const { user } = putting([kept(2, "Mine")], { "PATCH /boards/2": refusal("it was changed meanwhile") });
  await user.click(put());
  expect((await screen.findByRole("alert")).textContent).toBe("it was changed meanwhile");
});
