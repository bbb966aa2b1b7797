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

/** What is kept of a key: its state at the watermark. Events after that are read from the store again after a restart. */
export interface SettledState {
  /** Matches within the window before the watermark, not yet enough. */
  readonly buffer: readonly CountEvent[];
  readonly open: Episode | null;
}

const KEEP_FIRST = 20;
const KEEP_LATEST = 30;
const MAX_ENTITIES = 50;
/** More pending events than this are settled before the watermark reaches them: memory stays bounded. */
export const MAX_PENDING = 5_000;

export interface CountResult {
  /** Episodes that ended before the watermark in this step: they will not be reported again. */
  readonly settled: readonly Episode[];
  /** Episodes as they stand for now, after those: later events may still change them. */
  readonly provisional: readonly Episode[];
  /** Whether what `save` gives has changed. */
  readonly settledChanged: boolean;
  /** Events settled early because more than MAX_PENDING waited. */
  readonly settledEarly: number;
}

const before = (a: { timeUs: number; id: string }, b: { timeUs: number; id: string }): number =>
  a.timeUs - b.timeUs || a.id.length - b.id.length || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);

/**
 * A count rule for one key. `step` takes events in any order and a watermark and gives the episodes as they stand
 * (`semantics.md` 20, 21). Events up to the watermark are settled for good; those after it are run through provisionally, so that a
 * finding is raised at once and late arrivals amend it. The same events give the same episodes whatever their order of
 * arrival, as long as each comes before the watermark passes it.
 */
export class CountKey {
  private readonly settled: CountRun;
  /** Events after the watermark, sorted by (time, id). */
  private pending: CountEvent[] = [];
  /** The run over settled and pending events, kept so that events that come in order cost one step each. */
  private tail: CountRun;
  private tailClosed: Episode[] = [];

  constructor(
    private readonly logic: CountLogic,
    saved: SettledState = { buffer: [], open: null },
  ) {
    this.settled = new CountRun(logic, [...saved.buffer], saved.open === null ? null : OpenEpisode.from(saved.open));
    this.tail = this.settled.clone();
  }

  step(events: readonly CountEvent[], watermarkUs: EpochUs): CountResult {
    let rebuild = this.take(events);
    let settle = 0;
    while (settle < this.pending.length && this.pending[settle]!.timeUs <= watermarkUs) settle++;
    const settledEarly = Math.max(0, this.pending.length - MAX_PENDING - settle);
    settle += settledEarly;
    const closed: Episode[] = [];
    for (let i = 0; i < settle; i++) this.settled.take(this.pending[i]!, closed);
    if (settle > 0) this.pending = this.pending.slice(settle);
    this.settled.quietAt(watermarkUs, closed);
    const expired = this.settled.expire(watermarkUs);
    rebuild ||= closed.length > 0;
    if (rebuild) {
      this.tail = this.settled.clone();
      this.tailClosed = [];
      for (const event of this.pending) this.tail.take(event, this.tailClosed);
    }
    const open = this.tail.open?.snapshot();
    return {
      settled: closed,
      provisional: [...this.tailClosed, ...(open ? [open] : [])],
      settledChanged: settle > 0 || closed.length > 0 || expired,
      settledEarly,
    };
  }

  save(): SettledState {
    return { buffer: this.settled.buffer, open: this.settled.open?.snapshot() ?? null };
  }

  /** Nothing in this state can influence anything that is still to come. */
  get isIdle(): boolean {
    return this.settled.open === null && this.settled.buffer.length === 0 && this.pending.length === 0;
  }

  get lastEventUs(): EpochUs {
    const last = (list: readonly CountEvent[]) => list[list.length - 1]?.timeUs ?? 0;
    return Math.max(this.settled.open?.lastUs ?? 0, last(this.pending), last(this.settled.buffer));
  }

  /** Whether a watermark alone would settle, clear or expire something. */
  changesAt(watermarkUs: EpochUs): boolean {
    const { open, buffer } = this.settled;
    return (
      (this.pending.length > 0 && this.pending[0]!.timeUs <= watermarkUs) ||
      (open !== null && this.logic.quietUs !== null && watermarkUs - open.lastUs >= this.logic.quietUs) ||
      (buffer.length > 0 && buffer[0]!.timeUs < watermarkUs - this.logic.windowUs)
    );
  }

  /** @returns whether the provisional run must be made anew: something came before what it has seen */
  private take(events: readonly CountEvent[]): boolean {
    if (events.length === 0) return false;
    const fresh = [...events].sort(before);
    const last = this.pending[this.pending.length - 1];
    if (last === undefined || before(last, fresh[0]!) < 0) {
      for (const [i, event] of fresh.entries()) {
        if (i > 0 && isSame(fresh[i - 1]!, event)) continue;
        this.pending.push(event);
        this.tail.take(event, this.tailClosed);
      }
      return false;
    }
    const merged = [...this.pending, ...fresh].sort(before);
    this.pending = merged.filter((e, i) => i === 0 || !isSame(merged[i - 1]!, e));
    return true;
  }
}

/** An event that came twice counts once. */
const isSame = (a: CountEvent, b: CountEvent): boolean => before(a, b) === 0 && a.what === b.what;

/** Runs events in order over a buffer and an open episode. */
class CountRun {
  constructor(
    private readonly logic: CountLogic,
    public buffer: CountEvent[],
    public open: OpenEpisode | null,
  ) {}

  clone(): CountRun {
    return new CountRun(
      this.logic,
      [...this.buffer],
      this.open === null ? null : OpenEpisode.from(this.open.snapshot()),
    );
  }

  take(event: CountEvent, closed: Episode[]): void {
    this.quietAt(event.timeUs - 1, closed);
    if (event.what !== "match") {
      if (this.open !== null) this.close(event.timeUs, event.what === "close" ? "hand" : "record", closed);
      return;
    }
    if (this.open !== null) {
      this.open.fold(event);
      return;
    }
    // an event later than the watermark allowed stands in its place by time all the same
    this.buffer.push(event);
    this.buffer.sort(before);
    const since = this.buffer[this.buffer.length - 1]!.timeUs - this.logic.windowUs;
    this.buffer = this.buffer.filter((e) => e.timeUs >= since);
    if (this.buffer.length < this.logic.count) return;
    this.open = new OpenEpisode(this.buffer);
    this.buffer = [];
  }

  /** Clears by quiet when nothing came until `us`. */
  quietAt(us: EpochUs, closed: Episode[]): void {
    const { quietUs } = this.logic;
    if (this.open !== null && quietUs !== null && us - this.open.lastUs >= quietUs)
      this.close(this.open.lastUs + quietUs, "quiet", closed);
  }

  /** Forgets matches that no later event can be within the window of. @returns whether there were any */
  expire(watermarkUs: EpochUs): boolean {
    const kept = this.buffer.filter((e) => e.timeUs >= watermarkUs - this.logic.windowUs);
    const expired = kept.length < this.buffer.length;
    this.buffer = kept;
    return expired;
  }

  private close(us: EpochUs, by: Episode["clearedBy"], closed: Episode[]): void {
    closed.push({ ...this.open!.snapshot(), clearedUs: us, clearedBy: by });
    this.open = null;
  }
}

/** An episode that still takes evidence. */
class OpenEpisode {
  firstUs: EpochUs;
  lastUs: EpochUs;
  private raisedUs: EpochUs;
  private count = 0;
  private first: Evidence[] = [];
  private latest: Evidence[] = [];
  private readonly entities = new Set<string>();

  constructor(events: readonly CountEvent[]) {
    this.firstUs = events[0]?.timeUs ?? 0;
    this.lastUs = this.firstUs;
    for (const event of events) this.fold(event);
    this.raisedUs = this.lastUs;
  }

  static from(e: Episode): OpenEpisode {
    const open = new OpenEpisode([]);
    open.firstUs = e.firstUs;
    open.lastUs = e.lastUs;
    open.raisedUs = e.raisedUs;
    open.count = e.count;
    open.first = [...e.first];
    open.latest = [...e.latest];
    for (const entity of e.entities) open.entities.add(entity);
    return open;
  }

  fold(event: CountEvent): void {
    const evidence = { id: event.id, timeUs: event.timeUs };
    this.count++;
    this.lastUs = Math.max(this.lastUs, event.timeUs);
    if (this.first.length < KEEP_FIRST) this.first.push(evidence);
    else {
      this.latest.push(evidence);
      if (this.latest.length > KEEP_LATEST) this.latest.shift();
    }
    for (const entity of event.entities) if (this.entities.size < MAX_ENTITIES) this.entities.add(entity);
  }

  snapshot(): Episode {
    return {
      firstUs: this.firstUs,
      lastUs: this.lastUs,
      raisedUs: this.raisedUs,
      count: this.count,
      first: [...this.first],
      latest: [...this.latest],
      entities: [...this.entities],
      clearedUs: null,
      clearedBy: null,
    };
  }
}
