import type { PaperDetail, PinJson } from "@halvik/contract/papers";
import { LANE_KINDS, type Lane, windowOfPin } from "@halvik/core/papers";
import { pinUs } from "./pin-words";

const LANES_BY_ITSELF = 7;
const LEAST_SPAN_US = 60_000_000;

/** What a pin names that may have a lane; who reported a record comes last: it is where it happened. */
function thingsOf({ pinned, record }: PinJson): Lane[] {
  if (record !== null) {
    const things = record.entities
      .filter((e) => e.role !== "reporter")
      .concat(record.entities.filter((e) => e.role === "reporter"));
    return things.flatMap(({ kind, value }) => {
      const lane = LANE_KINDS.find((k) => k === kind);
      return lane === undefined ? [] : [{ kind: lane, value }];
    });
  }
  if (pinned.is === "portrait") return [{ kind: pinned.kind, value: pinned.value }];
  if (pinned.is !== "incident") return [];
  return pinned.entities.flatMap(({ field, value }) => {
    const kind = INCIDENT_KINDS[field];
    return kind === undefined ? [] : [{ kind, value }];
  });
}
const INCIDENT_KINDS: Readonly<Record<string, Lane["kind"]>> = {
  src: "address",
  dst: "address",
  address: "address",
  user: "user",
  host: "host",
  sender: "host",
  interface: "interface",
};

const same = (a: Lane, b: Lane): boolean => a.kind === b.kind && a.value === b.value;

/** The lanes a pin stands in, by their numbers. */
export const pinLanes = (pin: PinJson, lanes: readonly Lane[]): number[] =>
  [
    // each once, as where it comes last
    ...new Set(
      thingsOf(pin)
        .map((thing) => lanes.findIndex((lane) => same(lane, thing)))
        .filter((at) => at >= 0)
        .reverse(),
    ),
  ].reverse();

/** All things the pins name, those that most of them name first. */
function ranked(paper: PaperDetail): Lane[] {
  const counts = new Map<string, { lane: Lane; pins: number }>();
  for (const pin of paper.pins)
    for (const lane of thingsOf(pin)) {
      const key = `${lane.kind} ${lane.value}`;
      const known = counts.get(key) ?? { lane, pins: 0 };
      known.pins++;
      counts.set(key, known);
    }
  return [...counts.values()].sort((a, b) => b.pins - a.pins).map((c) => c.lane);
}

/** Those that were chosen; while none were, those that most pins name, in the order in which they come. */
export function lanesOf(paper: PaperDetail): readonly Lane[] {
  if (paper.facts.lanes.length > 0) return paper.facts.lanes;
  const inTime = paper.pins.filter((p) => p.record !== null).sort((a, b) => (pinUs(a) ?? 0) - (pinUs(b) ?? 0));
  const firstOf = (lane: Lane): number => {
    const at = inTime.findIndex((pin) => pinLanes(pin, [lane]).length > 0);
    return at < 0 ? inTime.length : at;
  };
  return ranked(paper)
    .slice(0, LANES_BY_ITSELF)
    .sort((a, b) => firstOf(a) - firstOf(b));
}

/** Things that have no lane yet. */
export const lanesToChoose = (paper: PaperDetail, lanes: readonly Lane[]): Lane[] =>
  ranked(paper).filter((thing) => !lanes.some((lane) => same(lane, thing)));

/** From the first pin to the last; null: none is of any time. */
export function spanOf(paper: PaperDetail): { readonly fromUs: number; readonly toUs: number } | null {
  const times = paper.pins.flatMap((pin) => {
    const us = pinUs(pin);
    if (us === null) return [];
    // a search of thirty days is of one moment of the story: where it begins would pull all else together
    return windowOfPin(pin.pinned) === null || pin.pinned.is === "incident" ? [us] : [];
  });
  const all = times.length > 0 ? times : paper.pins.flatMap((pin) => pinUs(pin) ?? []);
  if (all.length === 0) return null;
  const [first, last] = [Math.min(...all), Math.max(...all)];
  const room = Math.max(LEAST_SPAN_US, last - first) * 0.03;
  return { fromUs: first - room, toUs: Math.max(last, first + LEAST_SPAN_US) + room };
}

/** Whether a moment is on the drawing. */
export const isWithin = (us: number, { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number }): boolean =>
  us >= fromUs && us <= toUs;
