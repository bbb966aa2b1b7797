import type { EpochUs } from "../base/time/index.js";
import { before, type Episode, isSame, MAX_PENDING, type RuleEvent } from "./event.js";
import type { Gathering } from "./kinds/measured/gathered.js";
import { type Brief, type KeptRun, type Progress, Run, type SavedRun } from "./kinds/run.js";
import { BETWEEN_MARKS, RunMarks } from "./run-marks.js";

const NO_EVENTS: readonly RuleEvent[] = [];
/** Of every machine without a provisional run; never added to. */
const NONE_CLOSED: Episode[] = [];

/**
 * How long the provisional run may go on without what came late, for each event that waits: of a key with thousands, whose every step
 * brings something that belongs among the oldest, all would be gone through again at every step. 5,000 events: 10 s, and what is left of
 * the 5 s in which watermarks move.
 */
export const BEHIND_US_EACH = 2_000;

/** How runs of a rule begin in a lane: one for all its keys, of which there may be a million. */
export interface HowRun {
  readonly begin: (saved: SavedRun | null) => Run;
  /** The rule asks for what did not happen: only the watermark can tell, nothing is raised before. */
  readonly waits: boolean;
}

export interface KeyResult {
  /** Episodes that ended before the watermark in this step: they will not be reported again. */
  readonly settled: readonly Episode[];
  /** Episodes as they stand for now, after those: later events may still change them. */
  readonly provisional: readonly Episode[];
  /** Whether what `save` gives has changed. */
  readonly settledChanged: boolean;
  /** Events settled early because more than MAX_PENDING waited. */
  readonly settledEarly: number;
}

/**
 * A rule for one key. `step` takes events in any order and a watermark and gives the episodes as they stand (`docs/semantics.md` 20, 21).
 * Events up to the watermark are settled for good; those after it are run through provisionally, so that a finding is raised at once
 * and late arrivals amend it. The same events give the same episodes whatever their order of arrival, as long as each comes before
 * the watermark passes it.
 */
export class KeyMachine {
  /** Events after the watermark, sorted by (time, id). */
  private pending: RuleEvent[] | null = null;
  /** The run over settled and pending events, kept so that events that come in order cost one step each; null: the settled one. */
  private tail: Run | null = null;
  private tailClosed: Episode[] = NONE_CLOSED;
  /** Where that run has been, where much waits. */
  private marks: RunMarks | null = null;
  /** The watermark at which the provisional run takes what came late and has not been taken yet; null: it has taken all. */
  private behindUntilUs: EpochUs | null = null;
  /** Records that are summed as they come, and settle together. */
  private gathering: Gathering | null = null;
  /** The run over what is settled, or what is kept of it as long as nothing touches it. */
  private held: Run | KeptRun;
  /** The second of event time at which its lane looks at it next; 0: it does not. */
  dueSecond = 0;

  /** @param saved what it goes on from; what is a text stays one until something touches it */
  constructor(
    private readonly how: HowRun,
    saved: SavedRun | KeptRun | null,
  ) {
    this.held = saved !== null && "text" in saved ? saved : how.begin(saved);
  }

  private get kept(): KeptRun | null {
    return this.held instanceof Run ? null : this.held;
  }

  private get settled(): Run {
    if (!(this.held instanceof Run)) this.held = this.how.begin(JSON.parse(this.held.text) as SavedRun);
    return this.held as Run;
  }

  /** What it says in brief was of another time: it is asked itself from now on. */
  wake(): void {
    void this.settled;
  }

  step(events: readonly RuleEvent[], watermarkUs: EpochUs): KeyResult {
    this.take(events, watermarkUs);
    const catchesUp = this.behindUntilUs !== null && this.behindUntilUs <= watermarkUs;
    let rebuild = catchesUp && !this.goBack();
    const pending = this.pending ?? NO_EVENTS;
    let settle = 0;
    while (settle < pending.length && pending[settle]!.timeUs <= watermarkUs) settle++;
    const settledEarly = Math.max(0, pending.length - MAX_PENDING - settle);
    settle += settledEarly;
    let closed: Episode[] = [];
    const gathered = this.settleGathered(watermarkUs, closed);
    if (settle > 0 && settle === pending.length && this.tail !== null && !rebuild && this.behindUntilUs === null) {
      // the provisional run has seen all of it, in this order
      this.held = this.tail;
      closed = this.tailClosed;
    } else for (let i = 0; i < settle; i++) this.settled.take(pending[i]!, closed);
    // the provisional run has ended them as well, in this order, before it went on
    const over = closed.length;
    rebuild ||= over > 0 && (gathered || !hasEnded(this.tailClosed, closed));
    if (settle > 0) {
      this.pending = settle === pending.length ? null : pending.slice(settle);
      this.marks?.shift(settle, over);
    }
    const elapsed = this.settled.elapse(watermarkUs, closed);
    const forgot = this.settled.forget(watermarkUs);
    rebuild ||= closed.length > over || (elapsed && this.tail !== null);
    if (this.pending === null) {
      this.tail = null;
      this.tailClosed = NONE_CLOSED;
      this.marks = null;
      this.behindUntilUs = null;
    } else if (rebuild && !this.how.waits) this.rebuild();
    // to go through all that waits again for this alone would cost as much as it is, at every step
    else {
      if (over > 0) this.tailClosed = this.tailClosed.slice(over);
      if (forgot || catchesUp) this.tail?.forget(watermarkUs);
    }
    const open = this.current();
    const ended = this.tailClosed.slice();
    this.noteReported(open !== null);
    return {
      settled: closed,
      provisional: open ? [...ended, open] : ended,
      settledChanged: settle > 0 || gathered || elapsed || forgot,
      settledEarly,
    };
  }

  /**
   * @param begin how gathering is begun where nothing has been yet
   * @returns whether it may want to be looked at earlier than before
   */
  gather(timeUs: EpochUs, id: string, amount: number, event: () => RuleEvent, begin: () => Gathering): boolean {
    this.gathering ??= begin();
    return this.gathering.add(timeUs, id, amount, event);
  }

  /** @returns whether there was anything */
  private settleGathered(watermarkUs: EpochUs, closed: Episode[]): boolean {
    const { gathering } = this;
    if (gathering === null || gathering.nextUs > watermarkUs) return false;
    for (let next = gathering.next(watermarkUs); next !== null; next = gathering.next(watermarkUs))
      this.settled.takeGathered(next, closed);
    if (gathering.isEmpty) this.gathering = null;
    return true;
  }

  /** Evidence is reported once; an episode that is made anew reports all of it again. */
  private noteReported(isOpen: boolean): void {
    this.tailClosed.forEach((e, i) => {
      if (e.added !== undefined && e.added.length > 0) this.tailClosed[i] = { ...e, added: [] };
    });
    if (!isOpen) return;
    this.tail?.noteReported();
    // what settled before the run took it has not been reported
    if (this.behindUntilUs === null) this.settled.noteReported();
  }

  save(): SavedRun {
    return this.settled.save();
  }

  /** Of what `save` gives. */
  brief(): Brief {
    return this.settled.brief();
  }

  /** The open episode as it stands. */
  current(): Episode | null {
    const { kept } = this;
    if (kept !== null && !kept.hasOpen) return null;
    return (this.tail ?? this.settled).current();
  }

  progress(): Progress | null {
    return (this.tail ?? this.settled).progress();
  }

  /** What it has of what it needs to be raised; null: nothing. */
  get near(): number | null {
    const { kept } = this;
    if (kept !== null) return kept.near;
    const progress = this.progress();
    return progress === null ? null : progress.have / progress.need;
  }

  /** Nothing in this state can influence anything that is still to come. */
  get isIdle(): boolean {
    // what is idle is not kept
    return this.pending === null && this.gathering === null && this.kept === null && this.settled.isIdle;
  }

  get isLearning(): boolean {
    const { kept } = this;
    if (kept !== null) return kept.isLearning;
    return (this.tail ?? this.settled).isLearning;
  }

  /** What it knows of what is usual and can do without; null: nothing, or events are under way that belong to it. */
  learnt(): unknown {
    return this.pending === null && this.gathering === null ? this.settled.learnt() : null;
  }

  /** Goes on from what the rule has learnt of this key elsewhere. @returns whether it knows more now */
  learnFrom(learnt: unknown): boolean {
    const isMore = this.settled.learnFrom(learnt);
    if (isMore && this.tail !== null) this.rebuild();
    return isMore;
  }

  /** Something is raised, or must hold yet. */
  get hasOpen(): boolean {
    const { kept } = this;
    if (kept !== null) return kept.hasOpen;
    return this.settled.hasOpen || (this.tail?.hasOpen ?? false);
  }

  get lastEventUs(): EpochUs {
    return Math.max(
      this.kept?.lastUs ?? this.settled.lastEventUs,
      this.gathering?.lastUs ?? 0,
      this.pending?.[this.pending.length - 1]?.timeUs ?? 0,
    );
  }

  /** The watermark at which something would settle, clear or be forgotten. */
  get nextChangeUs(): EpochUs {
    return Math.min(
      this.kept?.nextUs ?? this.settled.nextChangeUs,
      this.gathering?.nextUs ?? Number.POSITIVE_INFINITY,
      this.pending?.[0]?.timeUs ?? Number.POSITIVE_INFINITY,
      this.behindUntilUs ?? Number.POSITIVE_INFINITY,
    );
  }

  private rebuild(): void {
    this.beginTail();
    this.goOn(0);
  }

  private beginTail(): void {
    this.tail = this.settled.clone();
    this.tailClosed = [];
    this.marks = null;
    this.behindUntilUs = null;
  }

  /** Lets the provisional run go on from where it was before what came late. @returns false: it was nowhere, and must be made anew */
  private goBack(): boolean {
    const mark = this.marks?.backTo(this.pending!.length);
    if (mark === undefined) return false;
    this.tail = mark.run.clone();
    this.tailClosed = mark.closed.slice();
    this.behindUntilUs = null;
    this.goOn(mark.at);
    return true;
  }

  /** Lets the provisional run take what waits. @param from how many of it it has taken */
  private goOn(from: number): void {
    const pending = this.pending ?? NO_EVENTS;
    for (let i = from; i < pending.length; i++) {
      this.tail!.take(pending[i]!, this.tailClosed);
      if (i + 1 < BETWEEN_MARKS || this.behindUntilUs !== null) continue;
      this.marks ??= new RunMarks();
      this.marks.note(i + 1, this.tail!, this.tailClosed);
    }
  }

  /** What comes after all that waits the provisional run takes at once; for anything else it is behind, until a watermark. */
  private take(events: readonly RuleEvent[], watermarkUs: EpochUs): void {
    if (events.length === 0) return;
    const fresh = isAscending(events)
      ? events
      : [...events].sort(before).filter((e, i, all) => i === 0 || !isSame(all[i - 1]!, e));
    const { pending } = this;
    const last = pending?.[pending.length - 1];
    if (last === undefined || before(last, fresh[0]!) < 0) {
      const seen = pending?.length ?? 0;
      // most keys wait with one event: a list as long as what it holds
      this.pending = pending === null ? fresh.slice() : pending;
      // one by one: as arguments of a call a storm of them does not fit
      if (pending !== null) for (const event of fresh) pending.push(event);
      if (this.how.waits) return;
      if (this.tail === null) this.beginTail();
      this.goOn(seen);
      return;
    }
    const place = placeOf(fresh[0]!, pending!);
    insert(fresh, pending!);
    if (this.how.waits) return;
    this.marks?.backTo(place);
    this.behindUntilUs ??=
      pending!.length < BETWEEN_MARKS ? watermarkUs : watermarkUs + pending!.length * BEHIND_US_EACH;
    // a person sees at once what they have done
    if (fresh.some((e) => e.ends === "hand")) this.behindUntilUs = Number.NEGATIVE_INFINITY;
    // what came in order beside it
    this.goOn(placeOf(last, pending!) + 1);
  }
}

/** Whether a run has ended these episodes first. */
const hasEnded = (all: readonly Episode[], first: readonly Episode[]): boolean =>
  first.every((e, i) => all[i]?.firstUs === e.firstUs && all[i].clearedUs === e.clearedUs);

/** Puts events among others, each in its place, both in order; what is there already comes once. A few among thousands: nothing is sorted. */
function insert(fresh: readonly RuleEvent[], events: RuleEvent[]): void {
  const places: number[] = [];
  const added = fresh.filter((event) => {
    let place = placeOf(event, events);
    for (; place < events.length && before(events[place]!, event) === 0; place++)
      if (isSame(events[place]!, event)) return false;
    places.push(place);
    return true;
  });
  let end = events.length;
  for (const event of added) events.push(event);
  for (let k = added.length - 1; k >= 0; k--) {
    const place = places[k]!;
    // `copyWithin` takes many times as long on a list of objects
    for (let i = end - 1; i >= place; i--) events[i + k + 1] = events[i]!;
    events[place + k] = added[k]!;
    end = place;
  }
}

/** How many of some events, which are in order, come before one. */
function placeOf(event: RuleEvent, events: readonly RuleEvent[]): number {
  let [low, high] = [0, events.length];
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (before(events[middle]!, event) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** As they mostly come: in order, and each once. */
function isAscending(events: readonly RuleEvent[]): boolean {
  for (let i = 1; i < events.length; i++) if (before(events[i - 1]!, events[i]!) >= 0) return false;
  return true;
}
