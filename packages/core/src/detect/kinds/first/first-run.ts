import type { EpochUs } from "../../../base/time/index.js";
import type { RuleEvent } from "../../event.js";
import { type EpisodeLogic, type Progress, Run, type SavedRun } from "../run.js";

/** A value, or combination of values, not seen for D; nothing is raised while the rule still learns what is usual. */
export interface FirstLogic extends EpisodeLogic {
  readonly unseenUs: number;
  readonly learningUs: number;
  /** Event time of the first record the rule ever saw, shared by all its keys. */
  readonly since: { us: EpochUs };
}

export class FirstRun extends Run {
  /** When it was last seen; null: never. */
  private seenUs: EpochUs | null;

  constructor(
    protected override readonly logic: FirstLogic,
    saved: SavedRun | null,
  ) {
    super(logic, saved);
    this.seenUs = (saved?.rest as EpochUs | undefined) ?? null;
  }

  clone(): FirstRun {
    const copy = new FirstRun(this.logic, null).copyOpen(this);
    copy.seenUs = this.seenUs;
    return copy;
  }

  protected match(event: RuleEvent): void {
    const { unseenUs, learningUs, since } = this.logic;
    const isNew = this.seenUs === null || event.timeUs - this.seenUs >= unseenUs;
    if (this.open !== null) this.open.fold(event);
    else if (isNew && event.timeUs - since.us >= learningUs) this.raise([event]);
    this.seenUs = Math.max(this.seenUs ?? 0, event.timeUs);
  }

  protected get isEmpty(): boolean {
    return this.seenUs === null;
  }

  protected rest(): EpochUs | null {
    return this.seenUs;
  }

  forget(us: EpochUs): boolean {
    if (this.seenUs === null || us - this.seenUs < this.logic.unseenUs) return false;
    this.seenUs = null;
    return true;
  }

  protected ownNextChangeUs(): EpochUs {
    return this.seenUs === null ? Number.POSITIVE_INFINITY : this.seenUs + this.logic.unseenUs;
  }

  progress(): Progress | null {
    return null;
  }

  override learnt(): EpochUs | null {
    return this.seenUs;
  }

  override learnFrom(learnt: unknown): boolean {
    const seenUs = learnt as EpochUs;
    if (this.seenUs !== null && this.seenUs >= seenUs) return false;
    this.seenUs = seenUs;
    return true;
  }

  override get isLearning(): boolean {
    const { since, learningUs } = this.logic;
    return this.lastEventUs - since.us < learningUs;
  }

  get lastEventUs(): EpochUs {
    return Math.max(this.open?.lastUs ?? 0, this.seenUs ?? 0);
  }
}
