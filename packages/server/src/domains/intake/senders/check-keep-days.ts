import type { Queryable } from "../../../kernel/db/pool.js";
import { AppError } from "../../../kernel/http/errors.js";
import { daysInUse, MOST_CLASSES } from "../../../store/keep-days.js";

/** @throws BAD_REQUEST where records would be kept by one number of days too many */
export async function checkKeepDays(
  db: Queryable,
  days: number | null | undefined,
  byKind: ReadonlyMap<string, number>,
): Promise<void> {
  if (days === null || days === undefined) return;
  const used = await daysInUse(db, byKind);
  if (used.has(days) || used.size < MOST_CLASSES) return;
  throw new AppError(
    "BAD_REQUEST",
    `records are kept by ${used.size} different numbers of days already, and at most ${MOST_CLASSES} may be: ${[...used].sort((a, b) => a - b).join(", ")}`,
    { field: "keepDays" },
  );
}
