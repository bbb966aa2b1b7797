import type { TrafficAnswer } from "@halvik/contract/traffic";
import type { WindowParts } from "../../data/api";
import type { PinChoice } from "../../shared/pinning";
import { MEASURES, type Sentence } from "./asked";

const MOST_STEPS = 2_000;
const MOST_SERIES = 12;
const BITS = 8;

/** What of the traffic that is looked at can be pinned: its course as data, and its flows as a search. */
export function trafficPins(
  answer: TrafficAnswer | undefined,
  { measure, by, words }: Sentence,
  filter: string,
  zone: string,
  window: WindowParts,
): PinChoice[] {
  if (answer === undefined) return [];
  const search = filter === "" ? "kind is flow" : `kind is flow and (${filter})`;
  const choices: PinChoice[] = [
    { label: "its flows, as a search", pin: { is: "search", filter: search, zone, from: window.from, to: window.to } },
  ];
  const { steps, bands, step, sides } = answer;
  if (steps.length < 2 || steps.length > MOST_STEPS) return choices;
  const a = (amount: number) => (measure === "bytes" ? BITS * amount : amount) / step;
  const sideName = (side: number) => (sides === 1 ? "" : side === 0 ? "in, " : "out, ");
  const series = Array.from({ length: sides }, (_, side) => [
    { name: `${sideName(side)}all`, values: steps.map((s) => a(s.whole[side] ?? 0)) },
    ...bands.map((band, i) => ({
      name: `${sideName(side)}${band}`.slice(0, 300).toWellFormed(),
      values: steps.map((s) => a(s.bands[side]?.[i] ?? 0)),
    })),
  ]).flat();
  const unit = MEASURES.find((m) => m.value === measure)!.label;
  choices.unshift({
    label: "the course over time, as a chart",
    pin: {
      is: "chart",
      chart: {
        title: `Traffic by ${by}${words === "" ? "" : `, ${words}`}`.slice(0, 200).toWellFormed(),
        unit,
        filter,
        steps: [...steps.map((s) => s.from), window.to],
        series: series.slice(0, MOST_SERIES),
      },
    },
  });
  return choices;
}
