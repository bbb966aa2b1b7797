import type { EpochUs } from "../../../base/time/index.js";
import type { Episode, RuleEvent } from "../../event.js";
import { type PackedEvent, packEvent, unpackEvent } from "../../packed-event.js";
import { type EpisodeLogic, type Progress, Run, type SavedRun } from "../run.js";

/** A key that has spoken and then says nothing for W. It clears when it speaks again. */
export interface SilenceLogic extends EpisodeLogic {
  readonly afterUs: number;
}

export class SilenceRun extends Run {
  private last: RuleEvent | null;

  constructor(
    protected override readonly logic: SilenceLogic,
    saved: SavedRun | null,
  ) {
    super(logic, saved);
    this.last = saved?.rest === undefined ? null : unpackEvent(saved.rest as PackedEvent);
  }

  clone(): SilenceRun {
    const copy = new SilenceRun(this.logic, null).copyOpen(this);
    copy.last = this.last;
    return copy;
  }

  protected match(event: RuleEvent, closed: Episode[]): void {
    if (this.open !== null) this.close(event.timeUs, "record", closed);
    this.last = event;
  }

  protected override pass(us: EpochUs): boolean {
    if (this.open !== null || this.last === null || us < this.last.timeUs + this.logic.afterUs) return false;
    const open = this.raise([this.last]);
    open.metUs = this.last.timeUs + this.logic.afterUs;
    this.last = null;
    return true;
  }

  protected override begin(): void {
    // closed by a person: it is not expected any more until it speaks again
    this.last = null;
  }

  protected get isEmpty(): boolean {
    return this.last === null;
  }

  protected rest(): PackedEvent | null {
    return this.last && packEvent(this.last);
  }

  forget(): boolean {
    return false;
  }

  protected ownNextChangeUs(): EpochUs {
    return this.last === null ? Number.POSITIVE_INFINITY : this.last.timeUs + this.logic.afterUs;
  }

  progress(): Progress | null {
    return null;
  }

  get lastEventUs(): EpochUs {
    return Math.max(this.open?.lastUs ?? 0, this.last?.timeUs ?? 0);
  }
}
