import {
  type Cusum,
  ewmaReach,
  meanAndDeviation,
  modifiedZ,
  nextCusum,
  nextEwma,
} from "../../../base/statistics/index.js";
import { type EpochUs, US_PER_HOUR, zoneOffsetUs } from "../../../base/time/index.js";
import type { Episode, RuleEvent } from "../../event.js";
import { type EpisodeLogic, type Progress, Run, type SavedRun } from "../run.js";
import type { Gathered } from "./gathered.js";
import {
  begun,
  copied,
  EVIDENCE,
  joined,
  MAX_TIMES,
  type PackedStretch,
  packed,
  type Stretch,
  unevenness,
  unpacked,
} from "./stretch.js";

/** How a value is told from an ordinary one. */
export type Judgement =
  /** Over or under a line, back behind another (hysteresis). */
  | { readonly by: "line"; readonly side: "over" | "under"; readonly raiseAt: number; readonly clearAt: number }
  /** Against the same hour of other weeks, by the modified z-score. */
  | {
      readonly by: "baseline";
      readonly side: "over" | "under" | "both";
      readonly z: number;
      /** Closer to the median than this is ordinary, whatever the score. */
      readonly least: number;
      readonly part?: number | undefined;
    }
  /** An exponentially weighted mean outside k deviations; the first values say what is ordinary. */
  | { readonly by: "ewma"; readonly lambda: number; readonly k: number; readonly training: number }
  /** Sums of deviations beyond an allowance, both in standard deviations of the first values. */
  | { readonly by: "cusum"; readonly allowance: number; readonly limit: number; readonly training: number };

export interface MeasuredLogic extends EpisodeLogic {
  /**
   * What is measured of a stretch: how many records, the sum of their amounts, the part of them that meets condition 1, how unevenly
   * they follow one another; or each amount by itself.
   */
  readonly measure: "records" | "sum" | "share" | "spacing" | "value";
  /** Length of what is measured; each amount is judged by itself when it is measured as "value". */
  readonly everyUs: number;
  /** How often it is looked at: as long as `everyUs`, or a whole part of it, where the last `everyUs` are measured anew each time. */
  readonly stepUs: number;
  /** Stretches with fewer records than this say nothing of a share or of spacing. */
  readonly leastRecords: number;
  readonly judgement: Judgement;
  /** Whether it ends when the value is ordinary again. */
  readonly clearsByValue: boolean;
  /** Zone whose hours of the week the baseline goes by. */
  readonly zone: string;
}

interface SavedMeasured {
  readonly stretch: PackedStretch | null;
  readonly beginning?: PackedStretch;
  /** Only where steps are shorter than what is measured. */
  readonly recent?: readonly PackedStretch[];
  readonly sinceUs?: EpochUs;
  /** Samples by hour of the week, the newest last. */
  readonly slots: Readonly<Record<number, readonly number[]>>;
  readonly training: readonly number[];
  readonly ewma: number | null;
  readonly cusum: Cusum;
  readonly emptySince: EpochUs | null;
}

/** What one run hands on to another. */
type Learnt = Pick<SavedMeasured, "slots" | "training" | "ewma" | "cusum" | "emptySince"> & {
  /** The stretch it was in the middle of. */
  readonly stretch: Stretch | null;
};

/** Shared by every key that has measured nothing yet. */
const NONE: readonly number[] = [];
const NO_SLOTS: SavedMeasured["slots"] = {};
const NO_STEPS: readonly Stretch[] = [];
const AT_REST: Cusum = { high: 0, low: 0 };

const SLOT_SAMPLES = 8;
/** `docs/semantics.md` 24: samples of the same hour of the week, else of the same hour of the day, before a baseline may speak. */
const SLOT_SPEAKS = 4;
const HOUR_SPEAKS = 5;
/** Empty stretches counted as nothing measured; a key silent for longer than this is forgotten. */
const FORGET_AFTER = 14 * 24 * US_PER_HOUR;

/** A measure of one key against a line, its own usual, or control limits. */
export class MeasuredRun extends Run {
  private stretch: Stretch | null;
  private slots: SavedMeasured["slots"];
  private training: readonly number[];
  private ewma: number | null;
  private cusum: Cusum;
  /** The beginning of a stretch that was heard elsewhere; it counts if the rest of it is heard here. */
  private beginning: Stretch | null;
  /** End of the last stretch that held a record. */
  private emptySince: EpochUs | null;
  /** Steps before the one that is measured now that the next look still goes back to; empty ones are left out. */
  private recent: readonly Stretch[];
  /** Since when it is measured, where steps are shorter than what is measured: until all of it is there it may only be over a line. */
  private sinceUs: EpochUs | null;

  constructor(
    protected override readonly logic: MeasuredLogic,
    saved: SavedRun | null,
  ) {
    super(logic, saved);
    const rest = saved?.rest as SavedMeasured | undefined;
    this.stretch = rest?.stretch ? unpacked(rest.stretch) : null;
    this.beginning = rest?.beginning ? unpacked(rest.beginning) : null;
    this.slots = rest === undefined || Object.keys(rest.slots).length === 0 ? NO_SLOTS : rest.slots;
    this.training = rest?.training ?? NONE;
    this.ewma = rest?.ewma ?? null;
    this.cusum = rest?.cusum ?? AT_REST;
    this.emptySince = rest?.emptySince ?? null;
    this.recent = rest?.recent?.map(unpacked) ?? NO_STEPS;
    this.sinceUs = rest?.sinceUs ?? null;
  }

  clone(): MeasuredRun {
    const copy = new MeasuredRun(this.logic, null).copyOpen(this);
    copy.stretch = this.stretch && copied(this.stretch);
    copy.beginning = this.beginning;
    copy.slots = this.slots;
    copy.training = this.training;
    copy.ewma = this.ewma;
    copy.cusum = this.cusum;
    copy.emptySince = this.emptySince;
    copy.recent = this.recent;
    copy.sinceUs = this.sinceUs;
    return copy;
  }

  protected match(event: RuleEvent, closed: Episode[]): void {
    if (this.logic.measure === "value") {
      this.judge(event.amount, event.timeUs, [event], closed);
      return;
    }
    const stretch = this.stretchAt(Math.floor(event.timeUs / this.logic.stepUs) * this.logic.stepUs);
    if (this.logic.measure === "spacing" && stretch.times.length < MAX_TIMES) stretch.times.push(event.timeUs);
    stretch.records++;
    stretch.sum += event.amount;
    if (event.meets.includes(1)) stretch.meets++;
    if (stretch.events.length < EVIDENCE && (this.logic.measure !== "share" || event.meets.includes(1)))
      stretch.events.push(event);
  }

  override takeGathered({ startUs, events, records, sum }: Gathered, closed: Episode[]): void {
    const firstUs = events[0]!.timeUs;
    this.elapse(firstUs - 1, closed);
    this.endWhatIsFull(firstUs, closed);
    const stretch = this.stretchAt(startUs);
    stretch.records += records;
    stretch.sum += sum;
    for (let i = 0; i < events.length && stretch.events.length < EVIDENCE; i++) stretch.events.push(events[i]!);
  }

  /** The stretch that is measured; what comes later than the watermark allowed is counted where it can be. */
  private stretchAt(startUs: EpochUs): Stretch {
    if (this.stretch === null) {
      this.stretch = this.beginning?.startUs === startUs ? copied(this.beginning) : begun(startUs);
      this.beginning = null;
    }
    return this.stretch;
  }

  protected override pass(us: EpochUs, closed: Episode[]): boolean {
    const { stepUs } = this.logic;
    // a stretch is over when its last microsecond has passed
    if (this.stretch !== null && us >= this.stretch.startUs + stepUs - 1) {
      const done = this.stretch;
      const endUs = done.startUs + stepUs;
      if (done.records > 0) this.emptySince = endUs;
      this.stretch = null;
      const whole = this.wholeUpTo(done);
      const value = this.measured(whole);
      // what was looked at before is evidence already
      if (value !== null && this.maySay(whole.startUs))
        this.judge(value, endUs - 1, this.open === null ? whole.events : done.events, closed, whole.startUs);
      if (this.goesOn(endUs)) this.stretch = begun(endUs);
      else if (this.open === null) this.forgetUsual();
      return true;
    }
    if (us < this.forgetsUs()) return false;
    this.forgetUsual();
    return true;
  }

  /** All that is measured when a step is over: the step itself, or it and those before it. */
  private wholeUpTo(done: Stretch): Stretch {
    const { everyUs, stepUs } = this.logic;
    if (stepUs === everyUs) return done;
    this.sinceUs ??= done.startUs;
    const startUs = done.startUs + stepUs - everyUs;
    const before = this.recent.filter((s) => s.startUs >= startUs);
    // one record of each step before is evidence enough
    this.recent = done.records === 0 ? before : [...before, { ...done, events: done.events.slice(0, 1) }];
    return { ...[...before, done].reduce(joined), startUs };
  }

  private maySay(startUs: EpochUs): boolean {
    const { judgement, measure } = this.logic;
    const isWhole = this.sinceUs === null || startUs >= this.sinceUs;
    // a share has its least number of records to go by
    return isWhole || measure === "share" || (judgement.by === "line" && judgement.side === "over");
  }

  /** When what was learnt elsewhere is forgotten, because none of its records came here; Infinity: it is being measured. */
  private forgetsUs(): EpochUs {
    return this.stretch !== null || this.open !== null || this.emptySince === null
      ? Number.POSITIVE_INFINITY
      : this.emptySince + FORGET_AFTER;
  }

  /** What brings nothing goes on being measured as nothing where that says something, but not for ever. */
  private goesOn(endUs: EpochUs): boolean {
    const { measure, judgement } = this.logic;
    if (this.recent.length > 0) return true;
    // a share of nothing is no share; nothing is not over a line, but it may clear
    if (measure === "share" || measure === "spacing") return false;
    const saysSomething = this.open !== null || judgement.by !== "line" || judgement.side === "under";
    return saysSomething && endUs - (this.emptySince ?? endUs) < FORGET_AFTER;
  }

  private measured(s: Stretch): number | null {
    switch (this.logic.measure) {
      case "records":
        return s.records;
      case "share":
        return s.records < this.logic.leastRecords ? null : s.meets / s.records;
      case "spacing":
        return s.records < this.logic.leastRecords ? null : unevenness(s.times);
      default:
        return s.sum;
    }
  }

  private judge(
    value: number,
    atUs: EpochUs,
    events: readonly RuleEvent[],
    closed: Episode[],
    fromUs: EpochUs = atUs,
  ): void {
    const { out, ordinary, facts } = this.compare(value, fromUs);
    const { open } = this;
    if (out) {
      if (open === null) {
        const raised = this.raise(events);
        raised.firstUs = fromUs;
        raised.lastUs = atUs;
        raised.metUs = atUs;
        raised.count = Math.max(1, events.length);
        raised.facts = facts;
      } else {
        for (const event of events) open.fold(event);
        open.lastUs = atUs;
        open.facts = facts;
      }
    } else if (open !== null && ordinary && this.logic.clearsByValue) this.close(atUs, "condition", closed);
  }

  /** Whether a value is out of the ordinary, and whether it is ordinary again; between the two lines it is neither. */
  private compare(value: number, fromUs: EpochUs): { out: boolean; ordinary: boolean; facts: Episode["facts"] } {
    const j = this.logic.judgement;
    switch (j.by) {
      case "line": {
        const over = j.side === "over";
        return {
          out: over ? value > j.raiseAt : value < j.raiseAt,
          ordinary: over ? value < j.clearAt : value > j.clearAt,
          facts: [
            ["value", value],
            ["line", j.raiseAt],
          ],
        };
      }
      case "baseline":
        return this.againstBaseline(value, fromUs, j);
      case "ewma": {
        const usual = this.learn(value, j.training);
        if (usual === null) return { out: false, ordinary: false, facts: [] };
        this.ewma = nextEwma(this.ewma ?? usual.mean, value, j.lambda);
        const reach = ewmaReach(usual.deviation, j.lambda, j.k);
        const out = Math.abs(this.ewma - usual.mean) > reach;
        return {
          out,
          ordinary: !out,
          facts: [
            ["value", value],
            ["smoothed", this.ewma],
            ["usual", usual.mean],
            ["reach", reach],
          ],
        };
      }
      case "cusum": {
        const usual = this.learn(value, j.training);
        if (usual === null) return { out: false, ordinary: false, facts: [] };
        this.cusum = nextCusum(this.cusum, value, usual.mean, j.allowance * usual.deviation);
        const sum = Math.max(this.cusum.high, this.cusum.low);
        const limit = j.limit * usual.deviation;
        return {
          out: sum > limit,
          ordinary: sum === 0,
          facts: [
            ["value", value],
            ["sum", sum],
            ["usual", usual.mean],
            ["limit", limit],
          ],
        };
      }
    }
  }

  /** Mean and deviation of the first values; null while they are still being gathered. */
  private learn(value: number, training: number): { mean: number; deviation: number } | null {
    if (this.training.length >= training) return meanAndDeviation(this.training);
    this.training = [...this.training, value];
    return null;
  }

  private againstBaseline(
    value: number,
    fromUs: EpochUs,
    j: Judgement & { by: "baseline" },
  ): { out: boolean; ordinary: boolean; facts: Episode["facts"] } {
    const slot = this.slotOf(fromUs);
    const samples = this.samplesFor(slot);
    this.slots = { ...this.slots, [slot]: [...(this.slots[slot] ?? NONE), value].slice(-SLOT_SAMPLES) };
    if (samples === null) return { out: false, ordinary: false, facts: [] };
    const { z, median, spread } = modifiedZ(value, samples);
    const signed = j.side === "under" ? -z : j.side === "over" ? z : Math.abs(z);
    const least = Math.max(j.least, (j.part ?? 0) * Math.abs(median));
    const out = signed > j.z && Math.abs(value - median) >= least;
    return {
      out,
      // half the way back, so that a value near the line does not flap
      ordinary: signed < j.z / 2 || Math.abs(value - median) < least,
      facts: [
        ["value", value],
        ["usual", median],
        ["spread", spread],
        ["score", Math.min(Math.abs(z), 1e6)],
        ["samples", samples.length],
      ],
    };
  }

  /** Hour of the week. 1 January 1970 was a Thursday; which day is first does not matter. */
  private slotOf(us: EpochUs): number {
    return Math.floor((us + zoneOffsetUs(this.logic.zone, us)) / US_PER_HOUR) % 168;
  }

  /** Whether the stretch that is measured now could not be judged. */
  override get isLearning(): boolean {
    const { judgement } = this.logic;
    switch (judgement.by) {
      case "line":
        return false;
      case "baseline":
        return this.samplesFor(this.slotOf(this.stretch?.startUs ?? this.lastEventUs)) === null;
      default:
        return this.training.length < judgement.training;
    }
  }

  private samplesFor(slot: number): readonly number[] | null {
    const own = this.slots[slot] ?? [];
    if (own.length >= SLOT_SPEAKS) return own;
    const sameHour: number[] = [];
    for (let s = slot % 24; s < 168; s += 24) sameHour.push(...(this.slots[s] ?? []));
    return sameHour.length >= HOUR_SPEAKS ? sameHour : null;
  }

  override learnt(): Learnt | null {
    // what is open is over when the value is usual again
    if (this.open !== null || (this.slots === NO_SLOTS && this.training.length === 0)) return null;
    const { slots, training, ewma, cusum, emptySince, stretch } = this;
    return { slots, training, ewma, cusum, emptySince, stretch };
  }

  override learnFrom(learnt: unknown): boolean {
    const { slots, training, ewma, cusum, emptySince, stretch } = learnt as Learnt;
    const both: Record<number, readonly number[]> = { ...this.slots };
    for (const [slot, samples] of Object.entries(slots))
      both[Number(slot)] = [...samples, ...(both[Number(slot)] ?? NONE)].slice(-SLOT_SAMPLES);
    // who knows nothing shares the one that says so
    if (slots !== NO_SLOTS) this.slots = both;
    if (training.length > this.training.length) {
      this.training = training;
      this.ewma = ewma;
      this.cusum = cusum;
    }
    if (this.stretch === null) {
      this.beginning = stretch;
      if (emptySince !== null) this.emptySince = Math.max(this.emptySince ?? 0, emptySince);
    } else if (stretch?.startUs === this.stretch.startUs) this.stretch = joined(stretch, this.stretch);
    return true;
  }

  private forgetUsual(): void {
    this.slots = NO_SLOTS;
    this.beginning = null;
    this.training = NONE;
    this.ewma = null;
    this.cusum = AT_REST;
    this.emptySince = null;
    this.recent = NO_STEPS;
    this.sinceUs = null;
  }

  protected get isEmpty(): boolean {
    return this.stretch === null && this.training.length === 0 && this.slots === NO_SLOTS;
  }

  protected rest(): SavedMeasured {
    const { stretch, beginning, slots, training, ewma, cusum, emptySince } = this;
    return {
      stretch: stretch && packed(stretch),
      ...(beginning && { beginning: packed(beginning) }),
      slots,
      training,
      ewma,
      cusum,
      emptySince,
      ...(this.recent.length > 0 && { recent: this.recent.map(packed) }),
      ...(this.sinceUs !== null && { sinceUs: this.sinceUs }),
    };
  }

  forget(): boolean {
    return false;
  }

  protected ownNextChangeUs(): EpochUs {
    return this.stretch === null ? this.forgetsUs() : this.stretch.startUs + this.logic.stepUs - 1;
  }

  progress(): Progress | null {
    return null;
  }

  get lastEventUs(): EpochUs {
    return Math.max(this.open?.lastUs ?? 0, this.emptySince ?? 0, this.stretch?.events[0]?.timeUs ?? 0);
  }
}
