import type { NowBoard } from "@halvik/contract/boards";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { answering, refusal } from "../../testing/answering";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { EditNowPage } from "./board-page";

freshPage();

const MINE: NowBoard = { board: { name: "Now", about: "", filter: "", tiles: [] }, own: true };

/** Opened at its address, as from a bookmark: nothing of it is known yet. */
const opened = async (answers: Readonly<Record<string, unknown>>) => {
  const asked = answering({ "GET /boards/now": MINE, ...answers });
  draw(<EditNowPage />);
  const user = userEvent.setup();
  await user.click(await screen.findByRole("button", { name: "As it ships" }));
  expect(asked.map(([what]) => what)).toEqual(["GET /boards/now"]);
  await user.click(screen.getByRole("button", { name: "Forget mine, for good" }));
  return asked;
};

test("one's own Now is given up when it was asked twice", async () => {
  const asked = await opened({ "DELETE /boards/now": null });
  await waitFor(() => expect(asked.map(([what]) => what)).toContain("DELETE /boards/now"));
});

test("what the server says no to is said, and the tiles stay", async () => {
  await opened({ "DELETE /boards/now": refusal("the disk is full") });
  expect(await screen.findByText(/the disk is full/)).toBeTruthy();
  expect(screen.getByRole("region", { name: "Tiles" })).toBeTruthy();
});
