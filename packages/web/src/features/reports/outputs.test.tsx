import { ReportKept } from "@halvik/contract/reports";
import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useViewStore } from "../../data/view-store";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { Outputs } from "./outputs";

freshPage();
beforeEach(() => useViewStore.setState({ zone: "UTC" }));

const at = (day: number) => `2026-11-${day}T06:30:00.000000Z`;
const run = (id: number, over: object = {}) => ({
  ...{ id, state: "made", why: "", window: { from: at(26), to: at(27) }, due: null, made: at(27), by: "owner" },
  ...{ late: false, of: null, ...over },
});
const kept = (...runs: object[]) =>
  ReportKept.parse({
    id: 4,
    report: { name: "Night", period: { last: 1, unit: "day" }, parts: [{ is: "text", markdown: "x" }] },
    ...{ author: "owner", changed: at(25), schedules: [], runs },
  });
const lines = () => screen.queryAllByRole("listitem").map((l) => l.textContent);

test("nothing was made yet", () => {
  draw(<Outputs kept={kept()} />);
  expect(screen.getByText("Nothing was made yet.")).toBeTruthy();
});

test("of when, made when and by whom; what failed says why; what came late says so", () => {
  draw(
    <Outputs
      kept={kept(
        run(1),
        run(2, { due: at(27), late: true, by: "Halvik" }),
        run(3, { state: "failed", why: "the store was away \u0007", made: null }),
        run(4, { state: "waiting", window: null, made: null }),
      )}
    />,
  );
  const [made, late, failed, waiting] = lines();
  expect(made).toContain("26 Nov 06:30 – 27 Nov 06:30made 27 Nov 06:30 by owner");
  expect(late).toContain(", due 27 Nov 06:30 late: Halvik was away when it was due");
  expect(failed).toContain("failed: the store was away ␇");
  expect(waiting).toContain("is being made by owner");
  // what is not there cannot be taken away
  expect(screen.getAllByRole("button", { name: "take away" })).toHaveLength(2);
});

test("it is looked at, or taken away in each form", async () => {
  draw(<Outputs kept={kept(run(7))} />);
  expect(screen.getByRole("link").getAttribute("href")).toBe("/reports/4/outputs/7");
  await userEvent.setup().click(screen.getByRole("button", { name: "take away" }));
  expect(screen.getAllByRole("menuitem").map((i) => [i.textContent, i.getAttribute("href")])).toEqual([
    ["PDF", "/api/v1/reports/4/runs/7/file?format=pdf"],
    ["HTML", "/api/v1/reports/4/runs/7/file?format=html"],
    ["CSV of every table (ZIP)", "/api/v1/reports/4/runs/7/file?format=csv"],
    ["JSON", "/api/v1/reports/4/runs/7/file?format=json"],
  ]);
});
