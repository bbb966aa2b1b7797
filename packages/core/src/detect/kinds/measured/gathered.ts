import type { EpochUs } from "../../../base/time/index.js";
import { before, inOrder, MAX_PENDING, type RuleEvent } from "../../event.js";
import { EVIDENCE } from "./stretch.js";

/** Records of one key and stretch that settle together: what is measured is summed as they come, only the first stand by themselves. */
export interface Gathered {
  /** Of the stretch that they are in. */
  readonly startUs: EpochUs;
  /** The last moment that belongs here: when the watermark is there, nothing more comes. */
  readonly endUs: EpochUs;
  records: number;
  sum: number;
  lastUs: EpochUs;
  /** The first of them by (time, id). */
  events: RuleEvent[];
  /** What is in it, so that a record that comes twice counts once; of the first MAX_PENDING, in order. */
  ids: string[];
}

/** Of one that holds nothing yet; never added to. */
const NO_EVENTS: RuleEvent[] = [];
const NO_IDS: string[] = [];

/** What one key waits with. */
export class Gathering {
  /** In the order of their ends. */
  private readonly waiting: Gathered[] = [];

  /**
   * @param everyUs length of a stretch
   * @param settleUs watermarks are multiples of this: what lies between two of them settles together
   */
  constructor(
    private readonly everyUs: number,
    private readonly settleUs: number,
  ) {}

  /**
   * @param event what the record is to the rule; asked for only where it may stand by itself
   * @returns whether it settles before all that waited
   */
  add(timeUs: EpochUs, id: string, amount: number, event: () => RuleEvent): boolean {
    const gathered = this.placeOf(timeUs);
    if (gathered.records === 0) {
      // mostly it stays alone: lists as long as what they hold
      gathered.ids = [id];
      gathered.events = [event()];
      gathered.records = 1;
      gathered.sum = amount;
      return gathered === this.waiting[0];
    }
    if (!isNew(gathered.ids, id)) return false;
    this.take(gathered, timeUs, id, amount, event);
    return false;
  }

  private take(gathered: Gathered, timeUs: EpochUs, id: string, amount: number, event: () => RuleEvent): void {
    gathered.records++;
    gathered.sum += amount;
    if (timeUs > gathered.lastUs) gathered.lastUs = timeUs;
    const { events } = gathered;
    const last = events[events.length - 1]!;
    // told without making anything of it: most records are neither among the first of a stretch nor late
    const order = inOrder(timeUs, id, last.timeUs, last.id);
    if (order > 0 && events.length >= EVIDENCE) return;
    events.push(event());
    if (order > 0) return;
    events.sort(before);
    if (events.length > EVIDENCE) events.pop();
  }

  /** When the first of it settles; Infinity: nothing waits. */
  get nextUs(): EpochUs {
    return this.waiting[0]?.endUs ?? Number.POSITIVE_INFINITY;
  }

  get lastUs(): EpochUs {
    return this.waiting[this.waiting.length - 1]?.lastUs ?? 0;
  }

  get isEmpty(): boolean {
    return this.waiting.length === 0;
  }

  /** The first of it, if it settles at this watermark. */
  next(watermarkUs: EpochUs): Gathered | null {
    const first = this.waiting[0];
    if (first === undefined || first.endUs > watermarkUs) return null;
    this.waiting.shift();
    return first;
  }

  private placeOf(timeUs: EpochUs): Gathered {
    const startUs = Math.floor(timeUs / this.everyUs) * this.everyUs;
    // a watermark settles what is at it, too
    const endUs = Math.min(Math.ceil(timeUs / this.settleUs) * this.settleUs, startUs + this.everyUs - 1);
    const { waiting } = this;
    let at = waiting.length;
    while (at > 0 && waiting[at - 1]!.endUs > endUs) at--;
    const same = waiting[at - 1];
    if (same?.endUs === endUs && same.startUs === startUs) return same;
    const fresh: Gathered = { startUs, endUs, records: 0, sum: 0, lastUs: timeUs, events: NO_EVENTS, ids: NO_IDS };
    if (at === waiting.length) waiting.push(fresh);
    else waiting.splice(at, 0, fresh);
    return fresh;
  }
}

/** Notes an id among those noted, which are in order. @returns whether it had not been noted */
function isNew(ids: string[], id: string): boolean {
  const at = placeIn(ids, id);
  if (ids[at] === id) return false;
  if (ids.length >= MAX_PENDING) return true;
  if (at === ids.length) ids.push(id);
  else ids.splice(at, 0, id);
  return true;
}

/** Where an id stands or would stand. Several collectors, and records beside flows, come each in an order of its own: of thousands none is looked for one by one. */
function placeIn(ids: readonly string[], id: string): number {
  const last = ids[ids.length - 1];
  if (last === undefined || isBefore(last, id)) return ids.length;
  let from = 0;
  let to = ids.length - 1;
  while (from < to) {
    const middle = (from + to) >> 1;
    if (isBefore(ids[middle]!, id)) from = middle + 1;
    else to = middle;
  }
  return from;
}

/** Ids are numbers as text. */
const isBefore = (a: string, b: string): boolean => a.length < b.length || (a.length === b.length && a < b);
