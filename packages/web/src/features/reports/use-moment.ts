import { useState } from "react";
import { isoOf, useViewStore } from "../../data/view-store";

/** The moment a report looks back from: when it was opened, until somebody wants it anew. What is on screen does not change while it is read. */
export function useMoment(): { readonly at: string; readonly again: () => void } {
  const [atUs, setAtUs] = useState(() => useViewStore.getState().nowUs);
  return { at: isoOf(atUs), again: () => setAtUs(useViewStore.getState().nowUs) };
}
