import type { EpochUs } from "../../../base/time/index.js";
import { before, type Episode, type RuleEvent } from "../../event.js";
import { type PackedEvent, packEvent, placeAlone, unpackEvent } from "../../packed-event.js";
import { type EpisodeLogic, type Progress, Run, type SavedRun } from "../run.js";

export interface SequenceStep {
  /** Matches it takes. */
  readonly count: number;
  /** At most this long after the step before (or, for the first, from its first match to its last); null: the whole window. */
  readonly withinUs: number | null;
  /** No match may come: until the next step, or for `withinUs` when that is given. */
  readonly absent: boolean;
}

/** Steps in order, with one key, all within W. */
export interface SequenceLogic extends EpisodeLogic {
  readonly steps: readonly SequenceStep[];
  readonly windowUs: number;
}

/** A way through the first steps. */
interface Chain {
  readonly startUs: EpochUs;
  /** When the latest of its steps was complete. */
  readonly timeUs: EpochUs;
  readonly events: readonly RuleEvent[];
}

interface SavedSequence {
  /** By step: ways that have come so far. */
  readonly chains: readonly (readonly (Omit<Chain, "events"> & { readonly events: readonly PackedEvent[] })[])[];
  /** By step: matches of steps that take several. */
  readonly matches: readonly (readonly PackedEvent[])[];
}

/** Matches of different values of what steps share that wait for more of theirs. */
const MAX_WAITING = 200;
const MAX_CHAINS = 20;
const MAX_EVENTS = 50;
const NO_CHAINS: readonly Chain[] = [];
const NO_EVENTS: readonly RuleEvent[] = [];

/**
 * Of all ways that have come as far as a step, the latest serves best: whatever an older one could be joined to within its limits, the
 * latest can. Several are kept only because a step of several matches must begin after the way it goes on from.
 */
export class SequenceRun extends Run {
  private readonly chains: (readonly Chain[])[];
  private readonly matches: (readonly RuleEvent[])[];

  constructor(
    protected override readonly logic: SequenceLogic,
    saved: SavedRun | null,
  ) {
    super(logic, saved);
    const rest = saved?.rest as SavedSequence | undefined;
    this.chains = logic.steps.map(
      (_, i) => rest?.chains[i]?.map((c) => ({ ...c, events: c.events.map(unpackEvent) })) ?? NO_CHAINS,
    );
    this.matches = logic.steps.map((_, i) => rest?.matches[i]?.map(unpackEvent) ?? NO_EVENTS);
  }

  clone(): SequenceRun {
    const copy = new SequenceRun(this.logic, null).copyOpen(this);
    for (let i = 0; i < this.chains.length; i++) {
      copy.chains[i] = this.chains[i]!;
      copy.matches[i] = this.matches[i]!;
    }
    return copy;
  }

  protected match(event: RuleEvent): void {
    this.drop(event.timeUs);
    const { steps } = this.logic;
    const { meets } = event;
    for (let k = 0; k < meets.length; k++) if (steps[meets[k]!]!.absent) this.chains[meets[k]! - 1] = NO_CHAINS;
    // from the last step to the first: one record is not two steps of one way
    const backwards = meets.length === 1 ? meets : [...meets].sort((a, b) => b - a);
    for (let k = 0; k < backwards.length; k++) if (!steps[backwards[k]!]!.absent) this.step(backwards[k]!, event);
  }

  private step(i: number, event: RuleEvent): void {
    const { count, withinUs } = this.logic.steps[i]!;
    const limit = withinUs ?? this.logic.windowUs;
    // where nothing waits for it, it is the beginning of nothing
    if (i > 0 && count === 1 && this.chains[this.stepBefore(i)]!.length === 0) return;
    const said = event.meets.length === 1 ? event : { ...event, meets: placeAlone(i) };
    if (i === 0 && count === 1) {
      this.reach(0, { startUs: said.timeUs, timeUs: said.timeUs, events: [said] });
      return;
    }
    const known = this.matches[i]!;
    const late = known.length > 0 && before(event, known[known.length - 1]!) < 0;
    // an event later than the watermark allowed stands in its place by time all the same
    const all = late ? [...known, said].sort(before) : [...known, said];
    // those that go along with this one; matches of other values wait for theirs
    const fitting = all.filter((m) => goAlong(m.values, said.values));
    const matches = fitting.slice(-count);
    this.matches[i] = count > 1 ? (fitting.length === all.length ? matches : all.slice(-MAX_WAITING)) : NO_EVENTS;
    if (matches.length < count) return;
    const first = matches[0]!;
    if (i === 0) {
      const { timeUs } = matches[matches.length - 1]!;
      if (timeUs - first.timeUs <= limit) this.reach(0, { startUs: first.timeUs, timeUs, events: matches });
      return;
    }
    const from = this.chains[this.stepBefore(i)]!;
    for (let c = from.length - 1; c >= 0; c--) {
      const chain = from[c]!;
      if (chain.timeUs > first.timeUs || (chain.events.includes(first) && count === 1)) continue;
      if (!chain.events.every((e) => goAlong(e.values, event.values))) continue;
      if (event.timeUs - chain.timeUs > limit || event.timeUs - chain.startUs > this.logic.windowUs) return;
      this.reach(i, {
        startUs: chain.startUs,
        timeUs: event.timeUs,
        events: [...chain.events, ...matches].slice(-MAX_EVENTS),
      });
      return;
    }
  }

  /** The step whose ways a step goes on from: a guard without a time of its own is none. */
  private stepBefore(i: number): number {
    const guard = this.logic.steps[i - 1]!;
    return guard.absent && guard.withinUs === null ? i - 2 : i - 1;
  }

  private reach(i: number, chain: Chain): void {
    if (i < this.logic.steps.length - 1) {
      this.chains[i] = [...this.chains[i]!, chain].slice(-MAX_CHAINS);
      return;
    }
    const { open } = this;
    if (open === null) {
      const raised = this.raise(chain.events);
      raised.metUs = chain.timeUs;
      raised.lastUs = Math.max(raised.lastUs, chain.timeUs);
    } else {
      // what it did not know yet
      const fresh = chain.events.filter((e) => e.timeUs > open.lastUs || e === chain.events[chain.events.length - 1]);
      for (const event of fresh) open.fold(event);
      open.lastUs = Math.max(open.lastUs, chain.timeUs);
    }
  }

  protected override pass(us: EpochUs, _closed: Episode[]): boolean {
    const dueUs = this.nextProvenUs();
    if (dueUs > us) return false;
    const { steps } = this.logic;
    for (let i = 0; i < steps.length; i++) {
      const { absent, withinUs } = steps[i]!;
      if (!absent || withinUs === null) continue;
      const waiting = this.chains[i - 1]!;
      const isDone = (c: Chain) => c.timeUs + withinUs <= dueUs;
      this.chains[i - 1] = waiting.filter((c) => !isDone(c));
      for (const chain of waiting) if (isDone(chain)) this.reach(i, { ...chain, timeUs: chain.timeUs + withinUs });
    }
    return true;
  }

  /** When the first way that waits for an absence is complete; Infinity: none waits. */
  private nextProvenUs(): EpochUs {
    let next = Number.POSITIVE_INFINITY;
    const { steps } = this.logic;
    for (let i = 0; i < steps.length; i++) {
      const { absent, withinUs } = steps[i]!;
      if (absent && withinUs !== null) for (const c of this.chains[i - 1]!) next = Math.min(next, c.timeUs + withinUs);
    }
    return next;
  }

  protected override begin(): void {
    this.chains.fill(NO_CHAINS);
    this.matches.fill(NO_EVENTS);
  }

  protected get isEmpty(): boolean {
    return this.chains.every((c) => c.length === 0) && this.matches.every((m) => m.length === 0);
  }

  protected rest(): SavedSequence {
    return {
      chains: this.chains.map((chains) => chains.map((c) => ({ ...c, events: c.events.map(packEvent) }))),
      matches: this.matches.map((matches) => matches.map(packEvent)),
    };
  }

  forget(us: EpochUs): boolean {
    return this.drop(us);
  }

  /** Ways and matches from which nothing at `us` or later can go on. */
  private drop(us: EpochUs): boolean {
    let dropped = false;
    for (let i = 0; i < this.chains.length; i++) {
      const chains = this.chains[i]!;
      if (chains.length > 0 && chains.some((c) => this.deadline(i, c) < us)) {
        this.chains[i] = chains.filter((c) => this.deadline(i, c) >= us);
        dropped = true;
      }
      const matches = this.matches[i]!;
      if (matches.length > 0 && matches[0]!.timeUs + this.logic.windowUs < us) {
        this.matches[i] = matches.filter((m) => m.timeUs + this.logic.windowUs >= us);
        dropped = true;
      }
    }
    return dropped;
  }

  /** Up to when a way may go on to its next step. */
  private deadline(i: number, chain: Chain): EpochUs {
    const whole = chain.startUs + this.logic.windowUs;
    const next = this.logic.steps[i + 1];
    if (next === undefined) return whole;
    // what waits for absence is complete by time alone
    if (next.absent && next.withinUs !== null) return Number.POSITIVE_INFINITY;
    const limit = (next.absent ? this.logic.steps[i + 2] : next)?.withinUs ?? null;
    return limit === null ? whole : Math.min(whole, chain.timeUs + limit);
  }

  protected ownNextChangeUs(): EpochUs {
    let next = Number.POSITIVE_INFINITY;
    for (let i = 0; i < this.chains.length; i++) {
      const chains = this.chains[i]!;
      const after = this.logic.steps[i + 1];
      for (const c of chains)
        next = Math.min(
          next,
          after?.absent && after.withinUs !== null ? c.timeUs + after.withinUs : this.deadline(i, c) + 1,
        );
    }
    for (const matches of this.matches)
      for (const m of matches) next = Math.min(next, m.timeUs + this.logic.windowUs + 1);
    return next;
  }

  progress(): Progress | null {
    const { steps } = this.logic;
    // records, of all that its steps take: seven of the eight refusals are nearer than one
    const wanted = (upTo: number) => steps.slice(0, upTo).reduce((sum, s) => sum + (s.absent ? 0 : s.count), 0);
    for (let i = steps.length - 2; i >= -1; i--) {
      const chain = i < 0 ? undefined : this.chains[i]![this.chains[i]!.length - 1];
      if (i >= 0 && chain === undefined) continue;
      const after = chain?.timeUs ?? Number.NEGATIVE_INFINITY;
      const begun = steps[i + 1]!.absent ? [] : this.matches[i + 1]!.filter((m) => m.timeUs >= after);
      if (chain === undefined && begun.length === 0) return null;
      return {
        have: wanted(i + 1) + Math.min(begun.length, steps[i + 1]!.count - 1),
        need: wanted(steps.length),
        lacking: i + 1,
        lastUs: begun[begun.length - 1]?.timeUs ?? after,
      };
    }
    return null;
  }

  get lastEventUs(): EpochUs {
    return Math.max(
      this.open?.lastUs ?? 0,
      ...this.chains.flat().map((c) => c.timeUs),
      ...this.matches.flat().map((m) => m.timeUs),
    );
  }
}

/** Whether two events share a value of what steps have in common; one that has none says nothing against it. */
const goAlong = (a: readonly string[], b: readonly string[]): boolean =>
  a.length === 0 || b.length === 0 || a.some((value) => b.includes(value));
