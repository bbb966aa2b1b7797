const KEY = "halvik.paper";

/** The investigation that was pinned to last: most pins go there again. */
export function lastPaper(): number | null {
  const kept = Number(localStorage.getItem(KEY));
  return Number.isInteger(kept) && kept > 0 ? kept : null;
}

export const rememberPaper = (id: number): void => localStorage.setItem(KEY, String(id));
