import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { noticesQuery } from "../data/api";
import { answering } from "../testing/answering";
import { draw } from "../testing/draw";
import { freshPage } from "../testing/fresh-page";
import { Notices } from "./notices";

freshPage();

const line = (id: number, what: string, detail = "", tells = what === "raised" ? "raise" : "update") => ({
  id,
  tells,
  what,
  detail,
});
const notice = (lines: ReturnType<typeof line>[], over: object = {}) => ({
  id: lines[lines.length - 1]!.id,
  at: "2026-12-01T10:00:00.000000Z",
  tells: "raise",
  incident: { id: 7, title: "a <b>guessed</b> password on vpn-1", severity: "critical" },
  read: false,
  lines,
  ...over,
});

async function open(...notices: object[]) {
  const asked = answering({ "POST /notices/read": { upTo: 9 } });
  draw(<Notices />, { answers: [[noticesQuery.queryKey, { unread: notices.length, notices }]] });
  const user = userEvent.setup();
  await user.click(screen.getByRole("button", { name: /^Notices/ }));
  return {
    user,
    asked,
    said: () =>
      screen
        .getAllByRole("link")
        .slice(0, -1)
        .map((l) =>
          within(l)
            .getAllByText(/./)
            .map((e) => e.textContent),
        ),
  };
}

test("one line: what it says, without the word that its title has already", async () => {
  const { said } = await open(notice([line(3, "raised", "nine refused logons")]));
  expect(said()[0]).toEqual(expect.arrayContaining(["nine refused logons"]));
  expect(screen.queryByText(/^raised: nine/)).toBeNull();
  expect(screen.getByRole("button", { name: /^Notices1 not read$|^Notices 1 not read$/ })).toBeTruthy();
});

test("several lines of one moment: one notice, each line with what it is", async () => {
  await open(notice([line(3, "raised"), line(4, "joined", "“New account”"), line(5, "worse", "error → critical")]));
  expect(screen.getAllByRole("link")).toHaveLength(2);
  for (const said of ["raised", "joined: “New account”", "worse: error → critical"])
    expect(screen.getByText(said)).toBeTruthy();
});

test("more lines than there is room for are counted", async () => {
  await open(notice([1, 2, 3, 4, 5, 6, 7, 8].map((n) => line(n, "joined", `rule ${n}`))));
  expect(screen.getByText("joined: rule 3")).toBeTruthy();
  expect(screen.queryByText("joined: rule 4")).toBeNull();
  expect(screen.getByText("and 5 more")).toBeTruthy();
});

test("closing it says up to which line they are read", async () => {
  const { user, asked } = await open(
    notice([line(8, "raised"), line(9, "joined", "x")]),
    notice([line(3, "raised")], { id: 3 }),
  );
  await user.keyboard("{Escape}");
  expect(asked).toContainEqual(["POST /notices/read", { upTo: 9 }]);
});
