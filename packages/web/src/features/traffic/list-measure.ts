import type { TrafficLists } from "@halvik/contract/traffic";
import { type Grouping, MeasureAsked } from "@halvik/core/query/measure";
import type { BoardChoice } from "../../shared/put-on-board";
import type { Sentence } from "./asked";

type Dimension = TrafficLists["lists"][number]["dimension"];

/** What tells records apart as a dimension tells traffic; none: no field of records does. */
const BY: Partial<Record<Dimension, readonly Grouping[]>> = {
  total: [],
  application: [{ field: "application" }],
  protocol: [{ field: "protocol" }],
  source: [{ field: "src" }],
  destination: [{ field: "dst" }],
  pair: [{ field: "src" }, { field: "dst" }],
  service: [{ field: "dst" }, { field: "dst port" }],
};

/** The measure of records that tells what a list of traffic does, as exported; null: there is none. */
export function measureOf(dimension: Dimension, { measure }: Sentence, filter: string): MeasureAsked | null {
  const by = BY[dimension];
  if (by === undefined) return null;
  const figure = measure === "flows" ? { of: "records" } : { of: "sum", number: { field: measure } };
  return MeasureAsked.parse({ figure, filter, by });
}

/** What of a sentence can be on a board: how full links are, its traffic over time and by application. */
export function trafficTiles(sentence: Sentence, filter: string): BoardChoice[] {
  const total = measureOf("total", sentence, filter);
  const byApplication = measureOf("application", sentence, filter);
  const links: BoardChoice = {
    label: "fullest links",
    tile: { shows: { is: "fullest links", title: "Fullest links", most: 8 }, window: null },
  };
  if (total === null || byApplication === null) return [links];
  const measure = { ...total, perSecond: true };
  const bands = { ...byApplication, perSecond: true };
  return [
    {
      label: "traffic over time",
      tile: { shows: { is: "course", title: "Traffic", compare: true, measure, step: "fitting" }, window: null },
    },
    {
      label: "by application over time",
      tile: { shows: { is: "profile", title: "By application", measure: bands, step: "fitting" }, window: null },
    },
    links,
  ];
}
