import { type EpochUs, US_PER_MINUTE } from "../../base/time/index.js";
import type { NotifiedChange } from "./route.js";

/** What happens to one incident within so long of the first of it is one notice: an act found by several rules grows it at one moment. */
const TOGETHER_US = US_PER_MINUTE;

/** A line of an incident's history that people are noticed of. */
export interface NoticedLine {
  readonly id: number;
  readonly incident: number;
  readonly atUs: EpochUs;
  readonly tells: NotifiedChange;
}

/** What is said of one incident at once. */
export interface Notice<T extends NoticedLine> {
  /** Raised or over where one of its lines says so, by the last that does. */
  readonly tells: NotifiedChange;
  /** In the order of time. */
  readonly lines: readonly [T, ...T[]];
}

/** @param lines in any order @returns the one with the newest line first */
export function noticesOf<T extends NoticedLine>(lines: readonly T[]): Notice<T>[] {
  const growing = new Map<number, [T, ...T[]]>();
  const all: [T, ...T[]][] = [];
  for (const line of [...lines].sort((a, b) => a.id - b.id)) {
    const notice = growing.get(line.incident);
    // either way: a clock may have been set back
    if (notice !== undefined && Math.abs(line.atUs - notice[0].atUs) <= TOGETHER_US) notice.push(line);
    else {
      const begun: [T, ...T[]] = [line];
      growing.set(line.incident, begun);
      all.push(begun);
    }
  }
  return all
    .sort((a, b) => b.at(-1)!.id - a.at(-1)!.id)
    .map((of) => ({ lines: of, tells: of.findLast((l) => l.tells !== "update")?.tells ?? "update" }));
}
