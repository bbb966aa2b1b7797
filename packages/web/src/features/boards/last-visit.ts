import { useEffect, useState } from "react";

const KEY = "halvik.last-here";
/** Looks that follow one another this closely are one visit. */
const SAME_VISIT_US = 30 * 60_000_000;

/** When this page was looked at before this visit, in µs; null: never on this machine. */
export function useLastVisit(nowUs: number): number | null {
  const [before] = useState(() => {
    const kept = readKept();
    if (kept === null) return { beforeUs: null };
    return { beforeUs: nowUs - kept.seenUs < SAME_VISIT_US ? kept.beforeUs : kept.seenUs };
  });
  useEffect(() => {
    localStorage.setItem(KEY, JSON.stringify({ ...before, seenUs: nowUs }));
  }, [before, nowUs]);
  return before.beforeUs;
}

function readKept(): { readonly seenUs: number; readonly beforeUs: number | null } | null {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(KEY) ?? "null");
    return typeof kept === "object" && kept !== null && "seenUs" in kept && "beforeUs" in kept
      ? (kept as { seenUs: number; beforeUs: number | null })
      : null;
  } catch {
    // written by something else: begun anew
    return null;
  }
}
