import type { EpochUs } from "../time/index.js";

/** The part of a count rule that its state machine needs. Times in µs. */
export interface CountLogic {
  readonly count: number;
  readonly windowUs: number;
  /** Cleared when this long passes without a match; null: only by a clearing event. */
  readonly quietUs: number | null;
}

/** A record (or a person's act) as a count rule sees it. Ordered by (time, id). */
export interface CountEvent {
  readonly timeUs: EpochUs;
  readonly id: string;
  readonly what: "match" | "clear" | "close";
  /** `field\u0001value` of what the record names. */
  readonly entities: readonly string[];
}

export interface Evidence {
  readonly id: string;
  readonly timeUs: EpochUs;
}

/** One raised stretch of a rule and key: from its first evidence to its clearing. */
export interface Episode {
  readonly firstUs: EpochUs;
  readonly lastUs: EpochUs;
  /** Event time at which the evidence sufficed. */
  readonly raisedUs: EpochUs;
  readonly count: number;
  /** The first and the latest evidence; between them only the count is kept. */
  readonly first: readonly Evidence[];
  readonly latest: readonly Evidence[];
  readonly entities: readonly string[];
  readonly clearedUs: EpochUs | null;
  readonly clearedBy: "quiet" | "record" | "hand" | null;
}

/** State of one key: settled up to the watermark, and the events after it, still in any order of arrival. */
export interface CountState {
  /** Matches within the window before the watermark, not yet enough. */
  readonly buffer: readonly CountEvent[];
  readonly open: Episode | null;
  /** Events after the watermark, sorted by (time, id). */
  readonly pending: readonly CountEvent[];
}

export const EMPTY_STATE: CountState = { buffer: [], open: null, pending: [] };

const KEEP_FIRST = 20;
const KEEP_LATEST = 30;
const MAX_ENTITIES = 50;
/** More pending events than this are settled before the watermark reaches them: memory stays bounded. */
export const MAX_PENDING = 5_000;

export interface CountResult {
  readonly state: CountState;
  /** Every episode that stands now and was not reported as settled and cleared before, in time order. */
  readonly episodes: readonly Episode[];
  /** Events settled early because more than MAX_PENDING waited. */
  readonly settledEarly: number;
}

const before = (a: { timeUs: number; id: string }, b: { timeUs: number; id: string }): number =>
  a.timeUs - b.timeUs || a.id.length - b.id.length || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);

/**
 * One step of a count rule for one key: takes events in any order and a watermark, gives the state after it and the
 * episodes as they stand (`semantics.md` 20, 21). Events up to the watermark are settled for good; those after it are run
 * through provisionally, so that a finding is raised at once and late arrivals amend it. The same events give the same
 * episodes whatever their order of arrival, as long as each comes before the watermark passes it.
 */
export function stepCount(
  logic: CountLogic,
  state: CountState,
  events: readonly CountEvent[],
  watermarkUs: EpochUs,
): CountResult {
  const pending = merge(state.pending, events);
  let settleCount = pending.findIndex((e) => e.timeUs > watermarkUs);
  if (settleCount < 0) settleCount = pending.length;
  const early = Math.max(0, pending.length - MAX_PENDING - settleCount);
  settleCount += early;

  const run = new CountRun(logic, state.buffer, state.open);
  for (let i = 0; i < settleCount; i++) run.take(pending[i]!);
  run.quietAt(watermarkUs);
  const settled = { buffer: run.buffer, open: run.open };
  const rest = pending.slice(settleCount);

  for (const event of rest) run.take(event);
  const episodes = run.open === null ? run.closed : [...run.closed, run.open];
  const expired = settled.buffer.filter((e) => e.timeUs >= watermarkUs - logic.windowUs);
  return { state: { buffer: expired, open: settled.open, pending: rest }, episodes, settledEarly: early };
}

/** Nothing in this state can influence anything that is still to come. */
export const isIdle = (state: CountState): boolean =>
  state.open === null && state.pending.length === 0 && state.buffer.length === 0;

/** Sorted union; an event that came twice counts once. */
function merge(sorted: readonly CountEvent[], fresh: readonly CountEvent[]): readonly CountEvent[] {
  if (fresh.length === 0) return sorted;
  const all = [...sorted, ...fresh].sort(before);
  return all.filter((e, i) => i === 0 || before(all[i - 1]!, e) !== 0 || all[i - 1]!.what !== e.what);
}

/** Runs events in order; copies what it changes, so that a provisional run leaves the settled state alone. */
class CountRun {
  readonly closed: Episode[] = [];

  constructor(
    private readonly logic: CountLogic,
    public buffer: readonly CountEvent[],
    public open: Episode | null,
  ) {}

  take(event: CountEvent): void {
    this.quietAt(event.timeUs - 1);
    if (event.what !== "match") {
      if (this.open !== null) this.close(event.timeUs, event.what === "close" ? "hand" : "record");
      return;
    }
    if (this.open !== null) {
      this.open = fold(this.open, event);
      return;
    }
    // an event later than the watermark allowed stands in its place by time all the same
    const ordered = [...this.buffer, event].sort(before);
    const since = ordered[ordered.length - 1]!.timeUs - this.logic.windowUs;
    const recent = ordered.filter((e) => e.timeUs >= since);
    if (recent.length < this.logic.count) {
      this.buffer = recent;
      return;
    }
    this.buffer = [];
    this.open = raise(recent);
  }

  /** Clears by quiet when nothing came until `us`. */
  quietAt(us: EpochUs): void {
    const { quietUs } = this.logic;
    if (this.open !== null && quietUs !== null && us - this.open.lastUs >= quietUs)
      this.close(this.open.lastUs + quietUs, "quiet");
  }

  private close(us: EpochUs, by: Episode["clearedBy"]): void {
    this.closed.push({ ...this.open!, clearedUs: us, clearedBy: by });
    this.open = null;
  }
}

function raise(events: readonly CountEvent[]): Episode {
  const evidence = events.map(({ id, timeUs }) => ({ id, timeUs }));
  const last = events[events.length - 1]!;
  return {
    firstUs: events[0]!.timeUs,
    lastUs: last.timeUs,
    raisedUs: last.timeUs,
    count: events.length,
    first: evidence.slice(0, KEEP_FIRST),
    latest: evidence.slice(KEEP_FIRST).slice(-KEEP_LATEST),
    entities: [...new Set(events.flatMap((e) => e.entities))].slice(0, MAX_ENTITIES),
    clearedUs: null,
    clearedBy: null,
  };
}

function fold(episode: Episode, event: CountEvent): Episode {
  const evidence = { id: event.id, timeUs: event.timeUs };
  const room = episode.first.length < KEEP_FIRST;
  const fresh = event.entities.filter((e) => !episode.entities.includes(e));
  return {
    ...episode,
    lastUs: Math.max(episode.lastUs, event.timeUs),
    count: episode.count + 1,
    first: room ? [...episode.first, evidence] : episode.first,
    latest: room ? episode.latest : [...episode.latest, evidence].slice(-KEEP_LATEST),
    entities: fresh.length === 0 ? episode.entities : [...episode.entities, ...fresh].slice(0, MAX_ENTITIES),
  };
}
