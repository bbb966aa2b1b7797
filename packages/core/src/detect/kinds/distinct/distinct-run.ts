import type { EpochUs } from "../../../base/time/index.js";
import { before, type RuleEvent } from "../../event.js";
import { type PackedEvent, packEvent, unpackEvent } from "../../packed-event.js";
import { type EpisodeLogic, type Progress, Run, type SavedRun } from "../run.js";

/** N different values within W, or N parts of a set in any order: a part then is a value. */
export interface DistinctLogic extends EpisodeLogic {
  readonly count: number;
  readonly windowUs: number;
  /** Parts of a set, when the values are which part an event is. */
  readonly parts: number | null;
}

export class DistinctRun extends Run {
  /**
   * The latest event of each value within the window, oldest first. Older ones of the same value cannot matter: a window that holds
   * them and a later event holds the latest one too.
   */
  private latest: Map<string, RuleEvent>;

  constructor(
    protected override readonly logic: DistinctLogic,
    saved: SavedRun | null,
  ) {
    super(logic, saved);
    const rest = saved?.rest as readonly (readonly [string, PackedEvent])[] | undefined;
    this.latest = new Map(rest?.map(([value, event]) => [value, unpackEvent(event)]));
  }

  clone(): DistinctRun {
    const copy = new DistinctRun(this.logic, null).copyOpen(this);
    copy.latest = new Map(this.latest);
    return copy;
  }

  protected match(event: RuleEvent): void {
    if (this.open !== null) {
      this.open.fold(event);
      return;
    }
    for (const value of this.logic.parts === null ? event.values : event.meets.map(String)) {
      this.latest.delete(value);
      this.latest.set(value, event);
    }
    this.drop(event.timeUs);
    if (this.latest.size < this.logic.count) return;
    // one record may bring several values
    const events = [...new Set(this.latest.values())].sort(before);
    this.raise(events);
    this.latest.clear();
  }

  protected get isEmpty(): boolean {
    return this.latest.size === 0;
  }

  protected rest(): [string, PackedEvent][] {
    return [...this.latest].map(([value, event]) => [value, packEvent(event)]);
  }

  forget(us: EpochUs): boolean {
    return this.drop(us);
  }

  private drop(us: EpochUs): boolean {
    let dropped = false;
    for (const [value, event] of this.latest) {
      if (event.timeUs >= us - this.logic.windowUs) break;
      this.latest.delete(value);
      dropped = true;
    }
    return dropped;
  }

  protected ownNextChangeUs(): EpochUs {
    const oldest = this.latest.values().next().value;
    return oldest === undefined ? Number.POSITIVE_INFINITY : oldest.timeUs + this.logic.windowUs + 1;
  }

  progress(): Progress | null {
    if (this.latest.size === 0) return null;
    const { parts, count } = this.logic;
    const lacking = parts === null ? -1 : [...Array(parts).keys()].findIndex((p) => !this.latest.has(String(p)));
    return { have: this.latest.size, need: count, lacking: lacking < 0 ? null : lacking, lastUs: this.lastEventUs };
  }

  get lastEventUs(): EpochUs {
    let last = this.open?.lastUs ?? 0;
    for (const event of this.latest.values()) last = Math.max(last, event.timeUs);
    return last;
  }
}
