import type { Count } from "../../model/record/index.js";
import { type Grouping, type MeasureAsked, MOST_ROWS } from "./asked.js";
import type { Measured, MeasuredRow } from "./tally.js";

export interface Ranked {
  readonly rows: readonly MeasuredRow[];
  /** Groups that are not among the rows. */
  readonly others: number;
}

/**
 * The rows that were asked for, in their order: by the clock its own; else by value, or by how far it is from the one before, groups of the same by name.
 * @param before what a row was before; without it nothing has changed
 */
export function ranked(
  { rows }: Measured,
  { by, order, top }: Pick<MeasureAsked, "by" | "order" | "top">,
  before: ((row: MeasuredRow) => Count | null) | null = null,
): Ranked {
  const byClock = by.length > 0 && by.every(isClock);
  const sign = order === "least" ? 1 : -1;
  const size =
    order === "changed" && before !== null
      ? (row: MeasuredRow) => Math.abs(Number(row.value ?? 0) - Number(before(row) ?? 0))
      : (row: MeasuredRow) => row.value;
  const sorted = [...rows].sort((a, b) => (byClock ? 0 : sign * compare(size(a), size(b))) || byKeys(a, b));
  const shown = sorted.slice(0, byClock || top === 0 ? MOST_ROWS : top);
  return { rows: shown, others: rows.length - shown.length };
}

const isClock = (g: Grouping): boolean => "clock" in g;

/** What has no value is the least. */
const compare = (a: Count | null, b: Count | null): number =>
  a === b ? 0 : a === null ? -1 : b === null ? 1 : a < b ? -1 : a > b ? 1 : 0;

function byKeys(a: MeasuredRow, b: MeasuredRow): number {
  for (const [i, key] of a.keys.entries()) if (key !== b.keys[i]) return key < b.keys[i]! ? -1 : 1;
  return 0;
}
