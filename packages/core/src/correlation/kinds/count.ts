import type { EpochUs } from "../../time/index.js";
import { before, type RuleEvent } from "../event.js";
import { type EpisodeLogic, type Progress, Run, type SavedRun } from "./run.js";

/** N matches with one key within W (`semantics.md` 21). */
export interface CountLogic extends EpisodeLogic {
  readonly count: number;
  readonly windowUs: number;
}

export class CountRun extends Run {
  /** Matches within the window, not yet enough. */
  private buffer: readonly RuleEvent[];

  constructor(
    protected override readonly logic: CountLogic,
    saved: SavedRun | null,
  ) {
    super(logic, saved);
    this.buffer = (saved?.rest as readonly RuleEvent[] | undefined) ?? [];
  }

  clone(): CountRun {
    return new CountRun(this.logic, this.save());
  }

  protected match(event: RuleEvent): void {
    if (this.open !== null) {
      this.open.fold(event);
      return;
    }
    // an event later than the watermark allowed stands in its place by time all the same
    const buffer = [...this.buffer, event].sort(before);
    const since = buffer[buffer.length - 1]!.timeUs - this.logic.windowUs;
    this.buffer = buffer.filter((e) => e.timeUs >= since);
    if (this.buffer.length < this.logic.count) return;
    this.raise(this.buffer);
    this.buffer = [];
  }

  protected rest(): readonly RuleEvent[] | undefined {
    return this.buffer.length === 0 ? undefined : this.buffer;
  }

  protected forget(us: EpochUs): boolean {
    const kept = this.buffer.filter((e) => e.timeUs >= us - this.logic.windowUs);
    const forgot = kept.length < this.buffer.length;
    if (forgot) this.buffer = kept;
    return forgot;
  }

  protected ownNextChangeUs(): EpochUs {
    return this.buffer.length === 0 ? Number.POSITIVE_INFINITY : this.buffer[0]!.timeUs + this.logic.windowUs + 1;
  }

  progress(): Progress | null {
    return this.buffer.length === 0
      ? null
      : { have: this.buffer.length, need: this.logic.count, lacking: null, lastUs: this.lastEventUs };
  }

  get lastEventUs(): EpochUs {
    return Math.max(this.open?.lastUs ?? 0, this.buffer[this.buffer.length - 1]?.timeUs ?? 0);
  }
}
