import type { TileAnswer } from "@halvik/contract/boards";
import { isOfNow, type Tile } from "@halvik/core/board";
import { keepPreviousData, queryOptions, useQueries, useQuery } from "@tanstack/react-query";
import { createContext, useContext, useMemo } from "react";
import { askTile, type TileLooked } from "../../data/board-queries";
import { bounds, isoOf, useView } from "../../data/view-store";

const LIVE_MS = 10_000;
/** What nobody looks at any more is soon forgotten. */
const FORGOTTEN_MS = 60_000;

/** Where the tiles of a board come from: a page asks as whoever is signed in, a wall by its token. */
export interface TileSource {
  /** Which tiles these are: those of another source are others. */
  readonly name: string;
  readonly windowKey: string;
  /** Whether the window that is looked at goes on with the clock. */
  readonly isLive: boolean;
  readonly everyMs: number;
  readonly ask: (tile: Tile, signal: AbortSignal) => Promise<TileAnswer>;
}

export const TileSourceContext = createContext<TileSource | null>(null);

/** The tiles of a page: over the window of the rail. */
export function useRailSource(filter: string): TileSource {
  const { window, zone } = useView("window", "zone");
  return useMemo(() => {
    const windowKey = window.endUs === null ? `last ${window.spanUs}` : `${window.endUs} ${window.spanUs}`;
    const looked: TileLooked = {
      filter,
      zone,
      windowKey,
      window: () => {
        const { fromUs, toUs } = bounds(window, Date.now() * 1_000);
        return { from: isoOf(fromUs), to: isoOf(toUs) };
      },
    };
    return {
      name: `page ${filter} ${zone}`,
      windowKey,
      isLive: window.endUs === null,
      everyMs: LIVE_MS,
      ask: (tile, signal) => askTile(tile, looked, signal),
    };
  }, [filter, window, zone]);
}

function useSource(): TileSource {
  const source = useContext(TileSourceContext);
  if (source === null) throw new Error("a tile stands on a board");
  return source;
}

/** A tile as it was made last, and anew as long as it changes. */
function tileQuery(tile: Tile, source: TileSource) {
  const goesOn = source.isLive || tile.window !== null || isOfNow(tile.shows);
  return queryOptions({
    queryKey: ["tile", source.name, tile.window === null ? source.windowKey : "own", tile.shows, tile.window],
    queryFn: ({ signal }) => source.ask(tile, signal),
    refetchInterval: goesOn ? source.everyMs : false,
    refetchIntervalInBackground: true,
    staleTime: goesOn ? source.everyMs / 2 : 300_000,
    gcTime: FORGOTTEN_MS,
    retry: false,
    placeholderData: keepPreviousData,
  });
}

export const useTile = (tile: Tile) => useQuery(tileQuery(tile, useSource()));

/** The tiles of a board as they were made last. */
export function useTiles(tiles: readonly Tile[]): readonly (TileAnswer | undefined)[] {
  const source = useSource();
  return useQueries({ queries: tiles.map((tile) => tileQuery(tile, source)) }).map((a) => a.data);
}
