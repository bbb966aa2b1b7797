import { useEffect } from "react";
import { create } from "zustand";

/** What the page that is looked at offers, as it is by then: keys may come faster than pages. */
export const OF_PAGE = "of the page";

interface PageChoicesState<Choice> {
  /** What the page that is looked at offers; empty: nothing. */
  readonly ofPage: readonly Choice[];
  /** What is being done with some of it, or with others; null: nothing is. */
  readonly doing: readonly Choice[] | typeof OF_PAGE | null;
  setOfPage(choices: readonly Choice[]): void;
  begin(choices: readonly Choice[] | typeof OF_PAGE | null): void;
}

/** What pages offer for something that is done from any of them: as plain data, since it is told apart by its text. */
export function pageChoices<Choice>() {
  const useStore = create<PageChoicesState<Choice>>((set) => ({
    ofPage: [],
    doing: null,
    setOfPage: (ofPage) => set({ ofPage }),
    begin: (doing) => set({ doing }),
  }));
  /** Says what of this page it can be done with. */
  function useChoices(choices: readonly Choice[]): void {
    const text = JSON.stringify(choices);
    useEffect(() => useStore.getState().setOfPage(JSON.parse(text) as Choice[]), [text]);
    // only then: what is being chosen from stays while the page changes
    useEffect(() => () => useStore.getState().setOfPage([]), []);
  }
  /** What it is being done with; null: nothing is. */
  const useDoing = (): readonly Choice[] | null =>
    useStore(({ doing, ofPage }) => {
      const choices = doing === OF_PAGE ? ofPage : doing;
      return choices === null || choices.length === 0 ? null : choices;
    });
  return { useStore, useChoices, useDoing };
}
