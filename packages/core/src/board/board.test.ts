import { SenderDirectory } from "../model/senders/index.js";
import { parseFilter } from "../query/filter/index.js";
import { Board, COLUMNS, freshTileId, NOW_BOARD, placeBelow, READY_BOARDS, sizeOf, type Tile } from "./index.js";

const directory = new SenderDirectory([]);
const boards = [...READY_BOARDS, NOW_BOARD].map((b) => [b.name, b] as const);

test.each(boards)(
  "%s: its filters are filters, no title stands twice, nothing reaches over the edge",
  (_name, board) => {
    const titles = board.tiles.map(({ shows }) => ("title" in shows ? shows.title : ""));
    expect(new Set(titles).size).toBe(titles.length);
    for (const { at, shows } of board.tiles) {
      expect(at.x + at.w).toBeLessThanOrEqual(COLUMNS);
      const measure = "measure" in shows && "filter" in shows.measure ? shows.measure : null;
      const filters = [
        board.filter,
        ...(measure === null ? [] : [measure.filter]),
        ...(shows.is === "records" ? [shows.filter] : []),
      ];
      for (const filter of filters) expect(parseFilter(filter, { zone: "UTC", directory })).toMatchObject({ ok: true });
    }
  },
);

const tile = (id: string, x: number, y: number, w = 3, h = 2): Tile => ({
  id,
  at: { x, y, w, h },
  window: null,
  shows: { is: "clock", title: id, zone: "" },
});

test.each<[string, Tile[], boolean]>([
  ["side by side", [tile("a", 0, 0), tile("b", 3, 0)], true],
  ["edge on edge, one below the other", [tile("a", 0, 0), tile("b", 0, 2)], true],
  ["over one another by a row", [tile("a", 0, 0), tile("b", 0, 1)], false],
  ["over one another by a column", [tile("a", 0, 0), tile("b", 2, 0)], false],
  ["beyond the last column", [tile("a", 10, 0)], false],
  ["one id twice", [tile("a", 0, 0), tile("a", 3, 0)], false],
])("tiles %s", (_what, tiles, isBoard) => expect(Board.safeParse({ name: "b", tiles }).success).toBe(isBoard));

test("what is added stands below everything, under an id of its own, and is a board with it", () => {
  let tiles: Tile[] = [tile("tile-2", 6, 0), tile("x", 0, 3, 12, 5)];
  for (let n = 0; n < 5; n++) {
    const shows = { is: "needs somebody", title: "t", most: 8 } as const;
    tiles = [...tiles, { id: freshTileId(tiles), at: placeBelow(tiles, sizeOf(shows)), window: null, shows }];
  }
  expect(Board.safeParse({ name: "b", tiles }).success).toBe(true);
  expect(tiles[2]!.at).toEqual({ x: 0, y: 8, ...sizeOf({ is: "needs somebody", title: "t", most: 8 }) });
});
