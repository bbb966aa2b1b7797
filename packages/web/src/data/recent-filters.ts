const KEY = "halvik.recent-filters";
const MOST = 15;

/** Filters applied on this machine, the newest first. */
export function recentFilters(): readonly string[] {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(KEY) ?? "[]");
    return Array.isArray(kept) ? kept.filter((f) => typeof f === "string").slice(0, MOST) : [];
  } catch {
    // written by something else: begun anew
    return [];
  }
}

export function rememberFilter(text: string): void {
  if (text === "") return;
  const others = recentFilters().filter((f) => f !== text);
  localStorage.setItem(KEY, JSON.stringify([text, ...others].slice(0, MOST)));
}
