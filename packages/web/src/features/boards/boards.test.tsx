import type { TileAnswer } from "@halvik/contract/boards";
import type { Measured } from "@halvik/contract/reports";
import type { Tile } from "@halvik/core/board";
import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { draw } from "../../testing/draw";
import { freshPage } from "../../testing/fresh-page";
import { BoardGrid } from "./board-grid";
import { tilePins } from "./tile-pins";
import { type TileSource, TileSourceContext } from "./tile-source";

freshPage();

const WINDOW = { from: "2026-11-22T00:00:00.000000Z", to: "2026-11-23T00:00:00.000000Z" };
const row = (labels: string[], value: number, before: number | undefined, steps: number[] = []) => ({
  labels,
  value,
  ...(before === undefined ? {} : { before }),
  records: value,
  exact: true,
  steps,
  filter: labels.length === 0 ? "severity at least error" : `sender is ${labels[0]}`,
});
const MEASURED: Measured = {
  asked: { figure: { of: "records" }, filter: "", by: [{ field: "sender" }], order: "most", top: 10, perSecond: false },
  says: "records by sender",
  unit: "records",
  headings: ["sender"],
  rows: [row(["rt-1"], 8, 4), row(["<b>rt-2</b>"], 2, 0)],
  total: row([], 10, 4),
  others: 0,
  addsUp: true,
  steps: [],
  stepsBefore: [],
  complete: false,
  coveredFrom: "2026-11-22T06:00:00.000000Z",
  source: "records",
  filter: "severity at least error",
  reading: "severity error or worse",
  limits: [],
  gaps: [],
  estimated: null,
};
const COURSE: Measured = {
  ...MEASURED,
  asked: { ...MEASURED.asked, by: [] } as Measured["asked"],
  rows: [],
  total: row([], 10, undefined, [7, 3]),
  steps: ["2026-11-22T00:00:00Z", "2026-11-22T12:00:00Z", "2026-11-23T00:00:00Z"],
  complete: true,
};

const tile = (id: string, x: number, shows: Tile["shows"]): Tile => ({
  id,
  at: { x, y: 0, w: 4, h: 6 },
  window: null,
  shows,
});
const bars: Tile["shows"] = { is: "bars", title: "Senders", compare: true, measure: MEASURED.asked };
const course = { is: "course", title: "Over time", compare: false, measure: MEASURED.asked, step: "fitting" } as const;

/** A board whose tiles are answered by hand; what is not there fails. */
function drawBoard(tiles: readonly Tile[], answers: Record<string, TileAnswer["made"]>) {
  const source: TileSource = {
    name: "test",
    windowKey: "w",
    isLive: true,
    everyMs: 20,
    ask: async ({ id }) => {
      const made = answers[id];
      if (made === undefined) throw new Error("the store is away");
      return { made, window: WINDOW, at: WINDOW.to, tookMs: 1 };
    },
  };
  draw(
    <TileSourceContext value={source}>
      <BoardGrid tiles={tiles} />
    </TileSourceContext>,
  );
  return { answers };
}

test("rows of a measure: names as they came, how they changed; a row and the title lead to their records; what is not whole is said", async () => {
  drawBoard([tile("a", 0, bars)], { a: { is: "measured", as: "bars", title: "Senders", measured: MEASURED } });
  const rows = await screen.findAllByRole("row");
  expect(rows.slice(1).map((r) => r.textContent)).toEqual(["rt-18+100 %", "<b>rt-2</b>2new"]);
  expect(screen.getByRole("link", { name: "rt-1" }).getAttribute("href")).toBe(
    `/records?${new URLSearchParams({ filter: "sender is rt-1", ...WINDOW })}`,
  );
  expect(screen.getByRole("link", { name: "Senders" }).getAttribute("href")).toContain("severity+at+least+error");
  expect(screen.getByRole("heading", { name: /Senders/ }).textContent).toContain("at least, back to 22 Nov");
});

test("a course has its table one key away", async () => {
  drawBoard([tile("a", 0, course)], { a: { is: "measured", as: "course", title: "Over time", measured: COURSE } });
  await userEvent.click(await screen.findByRole("button", { name: "as a table" }));
  expect(
    screen
      .getAllByRole("row")
      .slice(1)
      .map((r) => r.textContent!.slice(-1)),
  ).toEqual(["7", "3"]);
});

test("what tiles show can be pinned: a chart by its figures, the records behind rows; a tile that is not there yet, nothing", () => {
  const answer = (made: TileAnswer["made"]): TileAnswer => ({ made, window: WINDOW, at: WINDOW.to, tookMs: 1 });
  const chart = answer({ is: "measured", as: "course", title: "Over time", measured: COURSE });
  const rows = answer({ is: "measured", as: "bars", title: "Senders", measured: MEASURED });
  expect(tilePins([chart, undefined, rows, rows], "UTC")).toMatchObject([
    { label: "the chart Over time", pin: { is: "chart", chart: { series: [{ values: [7, 3] }] } } },
    {
      label: "the records of Senders",
      pin: { is: "search", filter: "severity at least error", zone: "UTC", ...WINDOW },
    },
  ]);
});

test("what needs somebody: how many there are in all; a tile that cannot be made does not take the others along, and comes back", async () => {
  const incident = {
    id: 7,
    title: "A fan failed",
    severity: "error",
    state: "open",
    raised: WINDOW.from,
    last: WINDOW.to,
    count: 2,
    assignedTo: "m.aune",
    acknowledged: null,
    newSinceSeen: [],
  } as const;
  const { answers } = drawBoard(
    [tile("a", 0, { is: "needs somebody", title: "Queue", most: 1 }), tile("b", 4, { is: "sites", title: "Sites" })],
    { a: { is: "needs somebody", title: "Queue", incidents: [{ ...incident, newSinceSeen: [] }], more: 3 } },
  );
  expect((await screen.findByRole("alert")).textContent).toBe("the store is away");
  expect(screen.getByRole("link", { name: "A fan failed" }).getAttribute("href")).toBe("/incidents/7");
  expect(screen.getByRole("heading", { name: /Queue/ }).textContent).toBe("Queue4");
  expect(screen.getByRole("link", { name: "3 more" })).not.toBeNull();
  answers.b = {
    is: "sites",
    title: "Sites",
    sites: [{ site: "Hestnes", senders: 3, silent: 1, lastNight: 5, usual: null }],
  };
  await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
  expect(screen.getByRole("row", { name: /Hestnes/ }).textContent).toBe("Hestnes1 of 3 silent5not known");
});
