import { type EpochUs, US_PER_DAY } from "../../base/time/index.js";
import { OpenEpisode } from "../episode.js";
import type { ClearedBy, Episode, RuleEvent } from "../event.js";
import type { Gathered } from "./measured/gathered.js";

/** What every kind of rule says of its episodes. Times in µs. */
export interface EpisodeLogic {
  /** Cleared when this long passes without evidence; null: something has to say that it is over. */
  readonly quietUs: number | null;
  /** Evidence must still come this long after the condition was met; until then nothing is raised. */
  readonly holdUs: number;
  /** Whether evidence says which step it met. */
  readonly severalSteps: boolean;
}

/** A run as it is kept: an open episode, and what the kind itself must remember, as plain data. */
export interface SavedRun {
  readonly open: Episode | null;
  readonly rest: unknown;
}

/** What is asked of a run that nothing touches. Times in µs. */
export interface Brief {
  readonly hasOpen: boolean;
  readonly lastUs: EpochUs;
  /** When time alone would change something; Infinity: never. */
  readonly nextUs: EpochUs;
  /** What it has of what it needs to be raised; null: nothing. */
  readonly near: number | null;
  readonly isLearning: boolean;
}

/** A run as its text, and in brief: of a million that are kept most are not touched before they are forgotten. */
export interface KeptRun extends Brief {
  /** JSON of what `save` gave. */
  readonly text: string;
}

/** How near a key is to being raised. */
export interface Progress {
  readonly have: number;
  readonly need: number;
  /** What is lacking, by place of the condition; null where it is more of the same. */
  readonly lacking: number | null;
  readonly lastUs: EpochUs;
}

/**
 * A rule's logic for one key: runs events in order of (time, id), one at a time. Kinds say what raises; opening, folding, clearing
 * and quiet are the same for all.
 */
export abstract class Run {
  protected open: OpenEpisode | null;

  constructor(
    protected readonly logic: EpisodeLogic,
    saved: SavedRun | null,
  ) {
    this.open = saved?.open ? OpenEpisode.from(saved.open, logic.severalSteps) : null;
  }

  /** A run in the same state that goes on for itself. */
  abstract clone(): Run;
  protected copyOpen(from: Run): this {
    this.open = from.open?.clone() ?? null;
    return this;
  }
  /** Something that matches. */
  protected abstract match(event: RuleEvent, closed: Episode[]): void;
  /** Nothing must be remembered besides the open episode. */
  protected abstract get isEmpty(): boolean;
  /** What must be remembered besides the open episode, where there is something. */
  protected abstract rest(): unknown;
  /** Forgets what nothing after `us` can be joined to, which changes nothing that is raised. @returns whether there was anything */
  abstract forget(us: EpochUs): boolean;
  /** When `forget` or `pass` would first do something; Infinity: never. */
  protected abstract ownNextChangeUs(): EpochUs;
  /**
   * Time passes until `us` without an event: the first thing that only absence can prove. One moment at a time: what it raises may be quiet
   * before the next. @returns whether anything changed
   */
  protected pass(_us: EpochUs, _closed: Episode[]): boolean {
    return false;
  }
  /** What was heard by another way already: evidence of what is raised, and nothing more. */
  protected hearAgain(event: RuleEvent): void {
    if (event.meets.length > 0) this.open?.hearAgain(event);
  }
  /** A person closed it, or a clearing record came: counting begins anew. */
  protected begin(): void {}
  abstract progress(): Progress | null;
  /** It does not know yet what is usual, and raises nothing (`docs/semantics.md` 24). */
  get isLearning(): boolean {
    return false;
  }
  abstract get lastEventUs(): EpochUs;
  /** What it knows of what is usual and can do without, for another run of the same rule and key; null: nothing. */
  learnt(): unknown {
    return null;
  }
  /** Goes on from what another run has learnt, as if that had come before all of its own. @returns whether it knows more now */
  learnFrom(_learnt: unknown): boolean {
    return false;
  }

  take(event: RuleEvent, closed: Episode[]): void {
    this.elapse(event.timeUs - 1, closed);
    if (event.isEcho) {
      this.hearAgain(event);
      return;
    }
    if (event.ends !== null && this.open !== null)
      this.close(event.timeUs, event.ends, closed, event.ends === "record" ? event.id : undefined);
    this.endWhatIsFull(event.timeUs, closed);
    // what a sequence waits for not to come may be the very thing that ends it
    if (event.meets.length > 0) this.match(event, closed);
  }

  /** Records of one stretch that were summed as they came; only kinds that say so (`RuleKind.gathersUs`) are given any. */
  takeGathered(_gathered: Gathered, _closed: Episode[]): void {
    throw new Error("a rule of this kind looks at each record");
  }

  /** Time passes: quiet clears, and what absence proves is raised or cleared, each in its time. @returns whether anything changed */
  elapse(us: EpochUs, closed: Episode[]): boolean {
    for (let changed = false; ; changed = true) {
      const quietAtUs = this.quietAtUs;
      if (this.pass(Math.min(us, quietAtUs), closed)) continue;
      if (us < quietAtUs) return changed;
      this.close(quietAtUs, "quiet", closed);
    }
  }

  /** When what is raised is quiet for long enough, where that clears it. */
  private get quietAtUs(): EpochUs {
    const { quietUs } = this.logic;
    return this.open === null || quietUs === null ? Number.POSITIVE_INFINITY : this.open.lastUs + quietUs;
  }

  save(): SavedRun {
    return { open: this.open?.snapshot() ?? null, rest: this.isEmpty ? undefined : this.rest() };
  }

  brief(): Brief {
    const progress = this.progress();
    return {
      hasOpen: this.open !== null,
      lastUs: this.lastEventUs,
      nextUs: this.nextChangeUs,
      near: progress === null ? null : progress.have / progress.need,
      isLearning: this.isLearning,
    };
  }

  /** Nothing in this state can influence anything that is still to come. */
  get isIdle(): boolean {
    return this.open === null && this.isEmpty;
  }

  get hasOpen(): boolean {
    return this.open !== null;
  }

  /** The open episode as it stands; null while it must hold yet. */
  current(): Episode | null {
    return this.open === null || !this.holds(this.open) ? null : this.open.report();
  }

  /** Its open episode has been reported as it stands. */
  noteReported(): void {
    this.open?.noteReported();
  }

  /** When time alone would change something. */
  get nextChangeUs(): EpochUs {
    return Math.min(this.quietAtUs, this.ownNextChangeUs());
  }

  protected raise(events: readonly RuleEvent[]): OpenEpisode {
    this.open = new OpenEpisode(events, this.logic.severalSteps);
    return this.open;
  }

  protected close(us: EpochUs, by: ClearedBy, closed: Episode[], clearedWith?: string): void {
    const open = this.open!;
    if (this.holds(open))
      closed.push({ ...open.report(), clearedUs: us, clearedBy: by, ...(clearedWith && { clearedWith }) });
    this.open = null;
    this.begin();
  }

  /** What nothing can clear does not go on for ever: a day of it is one happening. */
  protected endWhatIsFull(us: EpochUs, closed: Episode[]): void {
    const { open } = this;
    if (open !== null && this.logic.quietUs !== null && us - open.firstUs > US_PER_DAY)
      this.close(open.lastUs, "span", closed);
  }

  private holds(open: OpenEpisode): boolean {
    return this.logic.holdUs === 0 || open.lastUs - open.metUs >= this.logic.holdUs;
  }
}
