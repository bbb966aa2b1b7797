import type { TileShows } from "@halvik/core/board";
import { MeasureAsked } from "@halvik/core/query/measure";
import type { BoardChoice } from "../../shared/put-on-board";

const MOST_TITLE = 120;

/** What a search can be on a board: its lines, how many there are, when they came, of what. */
export function recordTiles(filter: string): BoardChoice[] {
  const title = (filter === "" ? "Records" : filter).slice(0, MOST_TITLE);
  const measure = MeasureAsked.parse({ filter });
  const by = (field: string) => MeasureAsked.parse({ filter, by: [{ field }] });
  const choices: readonly (readonly [string, TileShows])[] = [
    ["the newest of them", { is: "records", title, filter, most: 12 }],
    ["how many there are", { is: "figure", title, compare: true, measure }],
    ["when they came", { is: "course", title, compare: true, measure, step: "fitting" }],
    ["by severity over time", { is: "profile", title, measure: by("severity"), step: "fitting" }],
    ["by sender", { is: "bars", title, compare: true, measure: by("sender") }],
  ];
  return choices.map(([label, shows]) => ({ label, tile: { shows, window: null } }));
}
