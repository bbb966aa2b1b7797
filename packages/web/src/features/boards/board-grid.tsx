import { COLUMNS, type Tile } from "@halvik/core/board";
import type { CSSProperties } from "react";
import { useViewStore } from "../../data/view-store";
import { usePinChoices } from "../../shared/pinning";
import { tilePins } from "./tile-pins";
import { useTiles } from "./tile-source";
import { TileView } from "./tile-view";

/** Height of a row of the grid and the gap between tiles, in rem. */
export const [ROW, GAP] = [1.5, 0.75] as const;

/** The tiles of a board where they stand; one below the other where there is no room beside. */
export function BoardGrid({ tiles }: { tiles: readonly Tile[] }) {
  const zone = useViewStore((s) => s.zone);
  usePinChoices(tilePins(useTiles(tiles), zone));
  return (
    <div
      className="grid max-slim:block"
      style={{ gridTemplateColumns: `repeat(${COLUMNS}, minmax(0, 1fr))`, gridAutoRows: `${ROW}rem`, gap: `${GAP}rem` }}
    >
      {inOrder(tiles).map((tile) => (
        <div key={tile.id} className="min-h-0 min-w-0 max-slim:mb-4 max-slim:h-(--height)" style={placeOf(tile)}>
          <TileView tile={tile} />
        </div>
      ))}
    </div>
  );
}

/** As they are read: row by row. */
export const inOrder = (tiles: readonly Tile[]): Tile[] =>
  [...tiles].sort((a, b) => a.at.y - b.at.y || a.at.x - b.at.x);

const placeOf = ({ at: { x, y, w, h } }: Tile): CSSProperties =>
  ({
    gridColumn: `${x + 1} / span ${w}`,
    gridRow: `${y + 1} / span ${h}`,
    "--height": `${h * ROW + (h - 1) * GAP}rem`,
  }) as CSSProperties;
