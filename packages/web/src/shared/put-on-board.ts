import type { Tile } from "@halvik/core/board";
import { useEffect } from "react";
import { create } from "zustand";

/** What can be put on a board, and what it is called where there are several. */
export interface BoardChoice {
  readonly label: string;
  readonly tile: Pick<Tile, "shows" | "window">;
}

interface PutOnBoardState {
  /** What the page that is looked at can put on a board; empty: nothing. */
  readonly ofPage: readonly BoardChoice[];
  /** What is being put on one; null: nothing is. */
  readonly putting: readonly BoardChoice[] | null;
  setOfPage(choices: readonly BoardChoice[]): void;
  put(choices: readonly BoardChoice[] | null): void;
}

/** From any page to a board. */
export const usePutOnBoard = create<PutOnBoardState>((set) => ({
  ofPage: [],
  putting: null,
  setOfPage: (ofPage) => set({ ofPage }),
  put: (putting) => set({ putting }),
}));

/** Says what of this page can be put on a board. */
export function useBoardChoices(choices: readonly BoardChoice[]): void {
  const text = JSON.stringify(choices);
  useEffect(() => {
    const { setOfPage } = usePutOnBoard.getState();
    setOfPage(JSON.parse(text) as BoardChoice[]);
    return () => setOfPage([]);
  }, [text]);
}
