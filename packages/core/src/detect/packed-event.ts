import type { RuleEvent } from "./event.js";

/**
 * An event as states keep it: what is as usual is left out from the end. There may be a million of them in a checkpoint, and in memory
 * after it was read.
 */
export type PackedEvent = readonly [
  timeUs: number,
  id: string,
  entities: readonly string[],
  meets?: readonly number[],
  values?: readonly string[],
  amount?: number,
  ends?: RuleEvent["ends"],
  worse?: number,
  isEcho?: boolean,
];

const NONE: readonly never[] = [];
const PLACES = Array.from({ length: 16 }, (_, i): readonly number[] => [i]);
/** One list for every event that meets one condition. */
export const placeAlone = (place: number): readonly number[] => PLACES[place] ?? [place];

export function packEvent(e: RuleEvent): PackedEvent {
  if (e.isEcho) return [e.timeUs, e.id, e.entities, e.meets, e.values, e.amount, e.ends, e.worse, true];
  if (e.worse !== 0) return [e.timeUs, e.id, e.entities, e.meets, e.values, e.amount, e.ends, e.worse];
  if (e.ends !== null) return [e.timeUs, e.id, e.entities, e.meets, e.values, e.amount, e.ends];
  if (e.amount !== 0) return [e.timeUs, e.id, e.entities, e.meets, e.values, e.amount];
  if (e.values.length > 0) return [e.timeUs, e.id, e.entities, e.meets, e.values];
  if (e.meets.length !== 1 || e.meets[0] !== 0) return [e.timeUs, e.id, e.entities, e.meets];
  return [e.timeUs, e.id, e.entities];
}

/** @param packed as packed, or whole and never worse: so the first states were kept */
export function unpackEvent(packed: PackedEvent | Omit<RuleEvent, "worse" | "isEcho">): RuleEvent {
  if ("timeUs" in packed) return { ...packed, worse: 0, isEcho: false };
  const [timeUs, id, entities, meets, values = NONE, amount = 0, ends = null, worse = 0, isEcho = false] = packed;
  const shared = meets === undefined ? PLACES[0]! : meets.length === 1 ? placeAlone(meets[0]!) : meets;
  return { timeUs, id, meets: shared, ends, values, amount, entities, worse, isEcho };
}
