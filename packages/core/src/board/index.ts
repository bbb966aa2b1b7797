export {
  Board,
  COLUMNS,
  freshTileId,
  isOfNow,
  placeBelow,
  sizeOf,
  Tile,
  TilePlace,
  TileShows,
} from "./definition.js";
export { NOW_BOARD, READY_BOARDS } from "./ready-made.js";
export { WALL_TURN, Wall } from "./wall.js";
