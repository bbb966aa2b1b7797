import type { Fault } from "../kind.js";

/** A line at which something is raised, and one at which it ends, must not lie the wrong way round. */
export const lineFaults = (
  { side, raiseAt, clearAt }: { readonly side: "over" | "under"; readonly raiseAt: number; readonly clearAt: number },
  path: (string | number)[],
): Fault[] =>
  (side === "over" ? clearAt > raiseAt : clearAt < raiseAt)
    ? [{ path, message: "the line at which it ends lies beyond the one at which it is raised" }]
    : [];
