import type { TileAnswer } from "@halvik/contract/boards";
import type { PartMade } from "@halvik/contract/reports";
import { partPins } from "../../shared/parts/part-pins";
import type { PinChoice } from "../../shared/pinning";

/** What the tiles of a board can pin: charts as their figures, incidents, and the records behind all else. */
export const tilePins = (answers: readonly (TileAnswer | undefined)[], zone: string): PinChoice[] =>
  once(answers.flatMap((a) => (a === undefined ? [] : pinsOf(a, zone))));

function pinsOf({ made, window }: TileAnswer, zone: string): PinChoice[] {
  const records = (title: string, filter: string): PinChoice => ({
    label: `the records of ${title}`,
    pin: { is: "search", filter, zone, ...window },
  });
  switch (made.is) {
    case "measured": {
      const charts = partPins([made as PartMade]);
      const { filter } = made.measured;
      if (charts.length > 0 || filter === "") return charts;
      return [records(made.title, filter)];
    }
    case "records":
      return [records(made.title, made.filter)];
    case "needs somebody":
    case "incidents":
      return made.incidents.map((i) => ({ label: `the incident ${i.title}`, pin: { is: "incident", id: i.id } }));
    default:
      return [];
  }
}

/** An incident may stand in several tiles. */
const once = (pins: readonly PinChoice[]): PinChoice[] => [
  ...new Map(pins.map((choice) => [JSON.stringify(choice.pin), choice])).values(),
];
