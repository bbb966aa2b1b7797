import type { RecordJson } from "@halvik/contract/records";
import { addCounts, type Count } from "@halvik/core/model/record";
import type { ListColumn } from "./list-columns";

/** Lines that are set in order at most: the newest. */
export const MOST_ORDERED = 1_000;

/** By which column lines stand, and which way. */
export interface ListOrder {
  readonly column: string;
  readonly down: boolean;
}

/** `bytes`, or `bytes:up`, as an address has it. */
export function readOrder(text: string | null): ListOrder | null {
  if (text === null || text === "") return null;
  return text.endsWith(":up") ? { column: text.slice(0, -3), down: false } : { column: text, down: true };
}

export const writeOrder = (order: ListOrder | null): string | null =>
  order === null ? null : order.down ? order.column : `${order.column}:up`;

/** What a click on a heading makes of the order: down, up, by time again. */
export function nextOrder(order: ListOrder | null, column: string): ListOrder | null {
  if (order?.column !== column) return { column, down: true };
  return order.down ? { column, down: false } : null;
}

/** Lines by a column; those without a value last, equal ones as they came. */
export function inOrder(
  records: readonly RecordJson[],
  columns: readonly ListColumn[],
  order: ListOrder | null,
): readonly RecordJson[] {
  const by = columns.find((c) => c.name === order?.column)?.order;
  if (order === null || by === undefined) return records;
  const way = order.down ? -1 : 1;
  return records
    .slice(0, MOST_ORDERED)
    .map((record) => ({ record, key: by(record) }))
    .sort((a, b) =>
      a.key === null || b.key === null ? Number(a.key === null) - Number(b.key === null) : way * compare(a.key, b.key),
    )
    .map(({ record }) => record);
}

/** Figures before words; words as a dictionary has them, with numbers in them by size (addresses, interfaces). */
function compare(a: string | Count, b: string | Count): number {
  if (typeof a === "string" && typeof b === "string") return COLLATOR.compare(a, b);
  if (typeof a === "string" || typeof b === "string") return typeof a === "string" ? 1 : -1;
  return a < b ? -1 : a > b ? 1 : 0;
}
const COLLATOR = new Intl.Collator("en", { numeric: true });

/** The sum of a column over lines. */
export const sumOf = (records: readonly RecordJson[], of: (r: RecordJson) => Count | null): Count =>
  records.reduce<Count>((sum, r) => addCounts(sum, of(r) ?? 0), 0);
