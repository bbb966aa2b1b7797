import * as z from "zod";

/** Seconds that a board stands on a wall before the next one comes. */
export const WALL_TURN = { least: 5, most: 3_600, usual: 30 } as const;

/** Boards that a screen on the wall shows in turn. */
export const Wall = z.strictObject({
  name: z.string().trim().min(1, "expected a name").max(80),
  boards: z.array(z.int().min(1)).min(1, "expected a board").max(20),
  turnSeconds: z.int().min(WALL_TURN.least).max(WALL_TURN.most).default(WALL_TURN.usual),
  theme: z.enum(["light", "night"]).default("night"),
  /** An IANA zone; empty: that of Halvik. */
  zone: z.string().max(64).default(""),
  /** Days until it has to be made anew; null: until it is taken back. */
  days: z.int().min(1).max(3_650).nullable().default(null),
});
export type Wall = z.infer<typeof Wall>;
