import { useState } from "react";

/**
 * The line of a list that keys have led to, by its id: the list comes anew every few seconds, perhaps in another order, and what is done must be
 * done to what was looked at. One that has left the list is none any more; keys go on from where it stood.
 */
export function useCurrent<Row extends { readonly id: number | string }>(
  rows: readonly Row[],
): { readonly current: Row | undefined; readonly move: (by: number) => void; readonly leave: () => void } {
  const [held, setHeld] = useState<{ readonly id: number | string; readonly at: number } | null>(null);
  const found = held === null ? -1 : rows.findIndex((r) => r.id === held.id);
  const move = (by: number) => {
    const from = held === null ? (by > 0 ? -1 : 1) : found >= 0 ? found : held.at - (by > 0 ? 1 : 0);
    const at = Math.min(Math.max(from + by, 0), rows.length - 1);
    const row = rows[at];
    if (row) setHeld({ id: row.id, at });
  };
  return { current: rows[found], move, leave: () => setHeld(null) };
}
