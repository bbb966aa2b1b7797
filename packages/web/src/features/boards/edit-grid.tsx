import "react-grid-layout/css/styles.css";
import { COLUMNS, type Tile, type TilePlace } from "@halvik/core/board";
import ReactGridLayout, { useContainerWidth, verticalCompactor } from "react-grid-layout";
import { TextButton } from "../../ui/button";
import { rem } from "../../ui/rem";
import { GAP, inOrder, ROW } from "./board-grid";
import { TileView } from "./tile-view";

interface EditGridProps {
  readonly tiles: readonly Tile[];
  readonly chosen: string | null;
  readonly onChoose: (id: string) => void;
  readonly onMove: (places: ReadonlyMap<string, TilePlace>) => void;
}

/** The tiles of a board while they are moved about: by their title with the mouse, by the fields of the form with the keyboard. */
export function EditGrid({ tiles, chosen, onChoose, onMove }: EditGridProps) {
  const { width, containerRef, mounted } = useContainerWidth();
  return (
    <div ref={containerRef}>
      {mounted && (
        <ReactGridLayout
          width={width}
          layout={tiles.map(({ id, at }) => ({ i: id, ...at, minW: 2, minH: 2 }))}
          gridConfig={{ cols: COLUMNS, rowHeight: rem(ROW), margin: [rem(GAP), rem(GAP)], containerPadding: [0, 0] }}
          dragConfig={{ enabled: true, handle: "h2", cancel: "button, a" }}
          resizeConfig={{ enabled: true, handles: ["se"] }}
          compactor={verticalCompactor}
          onLayoutChange={(layout) => onMove(new Map(layout.map(({ i, x, y, w, h }) => [i, { x, y, w, h }])))}
        >
          {inOrder(tiles).map((tile) => (
            <div key={tile.id} className={`min-h-0 [&_h2]:cursor-grab ${tile.id === chosen ? "bg-fjord-wash" : ""}`}>
              <TileView
                tile={tile}
                tools={
                  <TextButton aria-pressed={tile.id === chosen} onClick={() => onChoose(tile.id)}>
                    change
                  </TextButton>
                }
              />
            </div>
          ))}
        </ReactGridLayout>
      )}
    </div>
  );
}
