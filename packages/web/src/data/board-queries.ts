import type { BoardKept, BoardList, NowBoard, TileAnswer, WallList } from "@halvik/contract/boards";
import type { Tile } from "@halvik/core/board";
import { queryOptions } from "@tanstack/react-query";
import { request } from "./api";

export const boardsQuery = queryOptions({
  queryKey: ["boards"],
  queryFn: ({ signal }) => request<BoardList>("GET", "/boards", undefined, signal),
});
export const boardQuery = (id: number) =>
  queryOptions({
    queryKey: ["boards", id],
    queryFn: ({ signal }) => request<BoardKept>("GET", `/boards/${id}`, undefined, signal),
  });
export const nowBoardQuery = queryOptions({
  queryKey: ["boards", "now"],
  queryFn: ({ signal }) => request<NowBoard>("GET", "/boards/now", undefined, signal),
});
export const wallsQuery = queryOptions({
  queryKey: ["walls"],
  queryFn: ({ signal }) => request<WallList>("GET", "/walls", undefined, signal),
});

/** What a tile is looked at over. */
export interface TileLooked {
  /** The filter of its board. */
  readonly filter: string;
  readonly zone: string;
  /** The window that is looked at, as it is when the tile is asked for. */
  readonly window: () => { readonly from: string; readonly to: string };
  /** What says which window that is: one that follows the clock is the same all the time. */
  readonly windowKey: string;
}

/** A tile by what it shows, whether a board keeps it or not. */
export const askTile = (tile: Pick<Tile, "shows" | "window">, looked: TileLooked, signal: AbortSignal) =>
  request<TileAnswer>(
    "POST",
    "/boards/tile",
    { shows: tile.shows, window: tile.window, filter: looked.filter, zone: looked.zone, ...looked.window() },
    signal,
  );
