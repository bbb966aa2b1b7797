import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { DeleteButton, TwiceButton } from "./twice-button";

freshPage();

test("what cannot be undone is asked twice; a double click is one click", async () => {
  let deleted = 0;
  draw(<DeleteButton and=" and its outputs" onDelete={() => deleted++} />);
  await userEvent.dblClick(screen.getByRole("button", { name: "Delete" }));
  expect(deleted).toBe(0);
  await userEvent.click(screen.getByRole("button", { name: "Delete it and its outputs for good" }));
  expect(deleted).toBe(1);
});

test("by keyboard too; who goes elsewhere is asked anew", async () => {
  let taken = 0;
  draw(
    <>
      <TwiceButton inText first="take back" then="take it back for good" onSure={() => taken++} />
      <button type="button">elsewhere</button>
    </>,
  );
  await userEvent.tab();
  await userEvent.keyboard("{Enter}");
  await userEvent.tab();
  expect(screen.queryByRole("button", { name: "take back" })).not.toBeNull();
  await userEvent.tab({ shift: true });
  await userEvent.keyboard("{Enter}");
  expect(taken).toBe(0);
  await userEvent.keyboard("{Enter}");
  expect(taken).toBe(1);
});
