import type { EpochUs } from "../../../base/time/index.js";
import { before, type RuleEvent } from "../../event.js";
import { type PackedEvent, packEvent, unpackEvent } from "../../packed-event.js";
import { type EpisodeLogic, type Progress, Run, type SavedRun } from "../run.js";

/** N matches with one key within W (`docs/semantics.md` 21). */
export interface CountLogic extends EpisodeLogic {
  readonly count: number;
  readonly windowUs: number;
}

const NONE: readonly RuleEvent[] = [];

export class CountRun extends Run {
  /** Matches within the window, not yet enough. */
  private buffer: readonly RuleEvent[];

  constructor(
    protected override readonly logic: CountLogic,
    saved: SavedRun | null,
  ) {
    super(logic, saved);
    this.buffer = (saved?.rest as readonly PackedEvent[] | undefined)?.map(unpackEvent) ?? NONE;
  }

  clone(): CountRun {
    const copy = new CountRun(this.logic, null).copyOpen(this);
    copy.buffer = this.buffer;
    return copy;
  }

  protected match(event: RuleEvent): void {
    if (this.open !== null) {
      this.open.fold(event);
      return;
    }
    const last = this.buffer[this.buffer.length - 1];
    // a list as long as what it holds: there may be a million of them
    const buffer = this.buffer.concat(event);
    // an event later than the watermark allowed stands in its place by time all the same
    if (last !== undefined && before(event, last) < 0) buffer.sort(before);
    this.buffer = buffer;
    this.forget(buffer[buffer.length - 1]!.timeUs);
    if (this.buffer.length < this.logic.count || this.counted < this.logic.count) return;
    this.raise(this.buffer);
    this.buffer = NONE;
  }

  private get counted(): number {
    return this.buffer.reduce((sum, e) => (e.isEcho ? sum : sum + 1), 0);
  }

  /** Before it is raised they wait with the others, so that it can be said how often each was heard. */
  protected override hearAgain(event: RuleEvent): void {
    if (this.open !== null || event.meets.length === 0) {
      super.hearAgain(event);
      return;
    }
    // whether anything waits with it must not depend on when time was said to have passed
    this.forget(event.timeUs);
    if (this.buffer.length > 0 && this.buffer.length < 2 * this.logic.count) this.buffer = this.buffer.concat(event);
  }

  protected get isEmpty(): boolean {
    return this.buffer.length === 0;
  }

  protected rest(): readonly PackedEvent[] {
    return this.buffer.map(packEvent);
  }

  forget(us: EpochUs): boolean {
    const { buffer } = this;
    const since = us - this.logic.windowUs;
    let old = 0;
    while (old < buffer.length && buffer[old]!.timeUs < since) old++;
    if (old > 0) this.buffer = old === buffer.length ? NONE : buffer.slice(old);
    return old > 0;
  }

  protected ownNextChangeUs(): EpochUs {
    return this.buffer.length === 0 ? Number.POSITIVE_INFINITY : this.buffer[0]!.timeUs + this.logic.windowUs + 1;
  }

  progress(): Progress | null {
    return this.buffer.length === 0
      ? null
      : { have: this.counted, need: this.logic.count, lacking: null, lastUs: this.lastEventUs };
  }

  get lastEventUs(): EpochUs {
    return Math.max(this.open?.lastUs ?? 0, this.buffer[this.buffer.length - 1]?.timeUs ?? 0);
  }
}
