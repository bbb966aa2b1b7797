import type { EpochUs } from "../base/time/index.js";

/** A record (or a person's act) as one rule and key see it. Ordered by (time, id). */
export interface RuleEvent {
  readonly timeUs: EpochUs;
  readonly id: string;
  /** Which of the rule's conditions it meets, by place: steps of a sequence, parts of a set; 0 for rules with one. */
  readonly meets: readonly number[];
  /** What it ends: a clearing record, or a person's closing. */
  readonly ends: "record" | "hand" | null;
  /** Values a rule counts as different ones, where it does. */
  readonly values: readonly string[];
  /** What a rule measures, where it does. */
  readonly amount: number;
  /** Entities the record names, as codes. */
  readonly entities: readonly string[];
  /** Which of the rule's worse filters it meets: bit i for `worse[i]`. */
  readonly worse: number;
  /** The same event was heard by another way: it is evidence, and counts no second time. */
  readonly isEcho: boolean;
}

export interface Evidence {
  readonly id: string;
  readonly timeUs: EpochUs;
  /** The step or part it met, where there are several. */
  readonly step?: number;
}

/** More that waits for the watermark than this does not wait: memory stays bounded. */
export const MAX_PENDING = 5_000;

/** Of one episode so many records are evidence by name; of the rest only the count is kept. */
export const MOST_KEPT = 10_000;

/** `span`: its evidence reaches over a day; what comes then is a new finding (`docs/semantics.md` 21). */
export type ClearedBy = "quiet" | "record" | "hand" | "condition" | "span";

/** Whether nothing has said that it is over: it was only not heard of any more, or for too long. */
export const isUnproven = (by: ClearedBy | null): boolean => by === "quiet" || by === "span";

/** One raised stretch of a rule and key: from its first evidence to its clearing. */
export interface Episode {
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  /** Event time at which the evidence sufficed. */
  readonly raisedUs: EpochUs;
  readonly count: number;
  /** The first and the latest evidence; between them only the count is kept. */
  readonly first: readonly Evidence[];
  readonly latest: readonly Evidence[];
  /** All evidence that came since it was last reported, of the first MOST_KEPT; none where it only stands as it stood. */
  readonly added?: readonly Evidence[];
  readonly entities: readonly string[];
  /** Which of the rule's worse filters a record of it meets: bit i for `worse[i]`. */
  readonly worse: number;
  /** The arithmetic, where there is some: the value, its line or what was expected. */
  readonly facts: readonly (readonly [name: string, value: number])[];
  readonly clearedUs: EpochUs | null;
  readonly clearedBy: ClearedBy | null;
  /** The record that said so, where one did. */
  readonly clearedWith?: string;
}

/** The order of everything that happened: time, then id as a number. */
export const before = (a: { timeUs: number; id: string }, b: { timeUs: number; id: string }): number =>
  inOrder(a.timeUs, a.id, b.timeUs, b.id);
export const inOrder = (aUs: EpochUs, a: string, bUs: EpochUs, b: string): number =>
  aUs - bUs || a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);

/** An event that came twice counts once. */
export const isSame = (a: RuleEvent, b: RuleEvent): boolean => before(a, b) === 0 && a.ends === b.ends;
