import { useEffect } from "react";
import { create } from "zustand";

interface PageChoicesState<Choice> {
  /** What the page that is looked at offers; empty: nothing. */
  readonly ofPage: readonly Choice[];
  /** What is being done with some of it; null: nothing is. */
  readonly doing: readonly Choice[] | null;
  setOfPage(choices: readonly Choice[]): void;
  begin(choices: readonly Choice[] | null): void;
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
    useEffect(() => {
      const { setOfPage } = useStore.getState();
      setOfPage(JSON.parse(text) as Choice[]);
      return () => setOfPage([]);
    }, [text]);
  }
  return { useStore, useChoices };
}
