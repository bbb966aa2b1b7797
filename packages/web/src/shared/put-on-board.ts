import type { Tile } from "@halvik/core/board";
import { pageChoices } from "./page-choices";

/** What can be put on a board, and what it is called where there are several. */
export interface BoardChoice {
  readonly label: string;
  readonly tile: Pick<Tile, "shows" | "window">;
}

/** From any page to a board. */
export const {
  useStore: usePutOnBoard,
  useChoices: useBoardChoices,
  useDoing: usePuttingOnBoard,
} = pageChoices<BoardChoice>();
