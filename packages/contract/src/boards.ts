import { Board, Tile, Wall } from "@halvik/core/board";
import { Period } from "@halvik/core/report";
import * as z from "zod";
import { EntityId, TimeText } from "./common.js";
import { IncidentJson } from "./incidents.js";
import { LoadAnswer } from "./load.js";
import { Overview } from "./overview.js";
import { LimitLine, PartMade } from "./reports.js";
import { Summary } from "./status.js";

/** A board that is kept. */
export const BoardKept = z.object({
  id: z.int(),
  board: Board,
  owner: z.string(),
  /** Whether everybody sees it. */
  shared: z.boolean(),
  mine: z.boolean(),
  /** Of what is kept; whoever changes it says which one they saw. */
  version: z.int(),
  changed: TimeText,
  changedBy: z.string(),
});
export type BoardKept = z.infer<typeof BoardKept>;

export const BoardList = z.object({ boards: z.array(BoardKept), ready: z.array(Board) });
export type BoardList = z.infer<typeof BoardList>;

export const NewBoard = z.object({ board: Board, shared: z.boolean().default(false) });
export const BoardChange = z.object({
  board: Board,
  shared: z.boolean(),
  /** The version that was changed: another one since then, and nothing is. */
  version: z.int(),
});
export const NowBoard = z.object({
  board: Board,
  /** Whether it is the person's own, not the one that ships. */
  own: z.boolean(),
});
export type NowBoard = z.infer<typeof NowBoard>;
export const NowBoardChange = z.object({ board: Board });

/** An interface whose capacity is known, and how full it was. */
const FullLink = z.object({
  exporter: z.object({ id: z.int(), name: z.string() }),
  interface: z.object({ index: z.number(), name: z.string() }),
  way: z.enum(["in", "out"]),
  /** Bits a second. */
  capacity: z.number(),
  /** Bits a second in the fullest step of the window, and on the average of all of it. */
  most: z.number(),
  average: z.number(),
  /** Seconds of a step. */
  stepSeconds: z.int(),
});
export type FullLink = z.infer<typeof FullLink>;

/** What a tile shows, as it was made. */
export const TileMade = z.discriminatedUnion("is", [
  ...PartMade.options,
  z.object({
    is: z.literal("needs somebody"),
    title: z.string(),
    incidents: z.array(
      IncidentJson.pick({
        id: true,
        title: true,
        severity: true,
        state: true,
        raised: true,
        last: true,
        count: true,
        assignedTo: true,
        acknowledged: true,
        newSinceSeen: true,
      }),
    ),
    /** How many more there are. */
    more: z.int(),
  }),
  z.object({ is: z.literal("silent senders"), title: z.string(), senders: Summary.shape.senders, more: z.int() }),
  z.object({ is: z.literal("limits"), title: z.string(), limits: z.array(LimitLine), more: z.int() }),
  z.object({
    is: z.literal("fullest links"),
    title: z.string(),
    links: z.array(FullLink),
    more: z.int(),
    /** Flows of the window are stored and not summed yet: a link was at least as full. */
    isCounting: z.boolean(),
  }),
  Overview.pick({ night: true, figures: true }).extend({ is: z.literal("last night"), title: z.string() }),
  Overview.pick({ sites: true }).extend({ is: z.literal("sites"), title: z.string() }),
  Overview.pick({ incidents: true }).extend({ is: z.literal("incidents a day"), title: z.string() }),
  LoadAnswer.pick({ alarms: true, steps: true, stepSeconds: true, figures: true, floods: true, rules: true }).extend({
    is: z.literal("alarm load"),
    title: z.string(),
  }),
  z.object({
    is: z.literal("intake"),
    title: z.string(),
    intake: Summary.shape.intake,
    recordsPerSecond: z.number(),
    engineBehindSeconds: z.number().nullable(),
  }),
  z.object({ is: z.literal("clock"), title: z.string(), zone: z.string() }),
]);
export type TileMade = z.infer<typeof TileMade>;

export const TileAnswer = z.object({
  made: TileMade,
  window: z.object({ from: TimeText, to: TimeText }),
  /** When it was made: it may have been made for somebody else a few seconds ago. */
  at: TimeText,
  tookMs: z.int(),
});
export type TileAnswer = z.infer<typeof TileAnswer>;

const Looked = { from: TimeText.optional(), to: TimeText.optional(), zone: z.string().max(64).optional() };
/** A tile by itself, kept or not. */
export const TileQuestion = z.object({
  shows: Tile.shape.shows,
  filter: z.string().default(""),
  /** A window of its own; else the one that is looked at. */
  window: Period.nullable().default(null),
  ...Looked,
});
export const TileQuery = z.object(Looked);
export const TileParams = z.object({ id: EntityId, tile: Tile.shape.id });

/** A screen on the wall. Its token is said once, when it is made. */
export const WallKept = z.object({
  id: z.int(),
  wall: Wall,
  author: z.string(),
  created: TimeText,
  expires: TimeText.nullable(),
  lastUsed: TimeText.nullable(),
});
export type WallKept = z.infer<typeof WallKept>;
export const WallList = z.object({ walls: z.array(WallKept) });
export type WallList = z.infer<typeof WallList>;
export const WallMade = WallList.extend({ token: z.string() });
export type WallMade = z.infer<typeof WallMade>;

/** What a screen on the wall is told of itself. */
export const WallShown = z.object({
  name: z.string(),
  turnSeconds: z.int(),
  theme: Wall.shape.theme,
  zone: z.string(),
  boards: z.array(z.object({ id: z.int(), board: Board })),
});
export type WallShown = z.infer<typeof WallShown>;
