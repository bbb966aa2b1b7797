import * as z from "zod";
import { MAX_FILTER_LENGTH } from "../query/filter/index.js";
import { Part, Period } from "../report/index.js";

/** A board is so many columns wide, on every screen. */
export const COLUMNS = 12;
export const MOST_TILES = 40;
const MOST_ROWS = 400;

const Titled = { title: z.string().trim().min(1, "expected a title").max(120) };
const Most = { most: z.int().min(1).max(50).default(8) };

/** What a tile shows: any part of a report, or what is of now. */
export const TileShows = z.discriminatedUnion("is", [
  ...Part.options,
  /** Incidents that need somebody, the most urgent first. */
  z.strictObject({ is: z.literal("needs somebody"), ...Titled, ...Most }),
  z.strictObject({ is: z.literal("silent senders"), ...Titled, ...Most }),
  /** Limits, the nearest to its line first. */
  z.strictObject({ is: z.literal("limits"), ...Titled, ...Most }),
  /** Interfaces whose capacity is known, the fullest first. */
  z.strictObject({ is: z.literal("fullest links"), ...Titled, ...Most }),
  z.strictObject({ is: z.literal("last night"), ...Titled }),
  z.strictObject({ is: z.literal("sites"), ...Titled }),
  z.strictObject({ is: z.literal("incidents a day"), ...Titled }),
  z.strictObject({ is: z.literal("alarm load"), ...Titled }),
  /** What was lost, refused, over a cap, late. */
  z.strictObject({ is: z.literal("intake"), ...Titled }),
  /** An IANA zone; empty: that of whoever looks. */
  z.strictObject({ is: z.literal("clock"), ...Titled, zone: z.string().max(64).default("") }),
]);
export type TileShows = z.infer<typeof TileShows>;

/** Where a tile stands: columns and rows from the left and the top, and how many of them it takes. */
export const TilePlace = z
  .strictObject({
    x: z
      .int()
      .min(0)
      .max(COLUMNS - 1),
    y: z.int().min(0).max(MOST_ROWS),
    w: z.int().min(1).max(COLUMNS),
    h: z.int().min(1).max(60),
  })
  .refine(({ x, w }) => x + w <= COLUMNS, { message: `expected a tile within ${COLUMNS} columns`, path: ["w"] });
export type TilePlace = z.infer<typeof TilePlace>;

export const Tile = z.strictObject({
  /** By which the board knows it. */
  id: z.string().regex(/^[a-z0-9-]{1,40}$/, "expected a name of small letters, digits and hyphens"),
  at: TilePlace,
  /** A window of its own; null: that of the time rail. */
  window: Period.nullable().default(null),
  shows: TileShows,
});
export type Tile = z.infer<typeof Tile>;

/** Tiles on a grid, and which records all of them are of. */
export const Board = z
  .strictObject({
    name: z.string().trim().min(1, "expected a name").max(80),
    about: z.string().trim().max(400).default(""),
    /** Holds for every tile that tells of records. */
    filter: z.string().max(MAX_FILTER_LENGTH).default(""),
    tiles: z.array(Tile).max(MOST_TILES),
  })
  .check(({ value: { tiles }, issues }) => {
    for (const [i, tile] of tiles.entries()) {
      const path = ["tiles", i, "at"];
      if (tiles.findIndex((t) => t.id === tile.id) < i)
        issues.push({
          code: "custom",
          message: `there is a tile “${tile.id}” already`,
          input: tile.id,
          path: ["tiles", i, "id"],
        });
      const over = tiles.slice(0, i).find((t) => overlap(t.at, tile.at));
      if (over !== undefined)
        issues.push({ code: "custom", message: `it lies over the tile “${over.id}”`, input: tile.at, path });
    }
  });
export type Board = z.infer<typeof Board>;

const overlap = (a: TilePlace, b: TilePlace): boolean =>
  a.x < b.x + b.w && b.x < a.x + a.w && a.y < b.y + b.h && b.y < a.y + a.h;

/** Below all tiles there are, at the left. */
export const placeBelow = (tiles: readonly Tile[], size: { readonly w: number; readonly h: number }): TilePlace => ({
  x: 0,
  y: Math.max(0, ...tiles.map(({ at }) => at.y + at.h)),
  ...size,
});

/** An id that no tile of a board has. */
export function freshTileId(tiles: readonly Tile[]): string {
  const taken = new Set(tiles.map((t) => t.id));
  let n = tiles.length + 1;
  while (taken.has(`tile-${n}`)) n++;
  return `tile-${n}`;
}

/** So much room a tile takes to begin with. */
export function sizeOf({ is }: TileShows): { readonly w: number; readonly h: number } {
  switch (is) {
    case "figure":
    case "clock":
      return { w: 3, h: 4 };
    case "records":
    case "needs somebody":
    case "incidents":
    case "last night":
      return { w: 6, h: 10 };
    case "hours of the week":
    case "own figures":
      return { w: 12, h: 7 };
    default:
      return { w: 6, h: 8 };
  }
}

/** What is told of the present, whatever window is looked at. */
const OF_NOW: ReadonlySet<TileShows["is"]> = new Set([
  "needs somebody",
  "silent senders",
  "limits",
  "last night",
  "sites",
  "incidents a day",
  "intake",
  "clock",
  "text",
]);
export const isOfNow = ({ is }: TileShows): boolean => OF_NOW.has(is);
