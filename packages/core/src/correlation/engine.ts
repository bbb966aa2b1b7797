import type { Filter } from "../filter/index.js";
import type { HalvikRecord } from "../record/index.js";
import type { SenderDirectory } from "../senders/index.js";
import { type EpochUs, US_PER_SECOND } from "../time/index.js";
import { type CompiledCondition, compileRule, EntityNames, parsed, type RuleProgram } from "./compile-rule.js";
import { clearingOf, conditionsOf } from "./conditions.js";
import { Dispatch } from "./dispatch.js";
import { DueTimes } from "./due-times.js";
import type { Episode, RuleEvent } from "./event.js";
import { KeyMachine } from "./key-machine.js";
import type { Progress, SavedRun } from "./kinds/run.js";
import type { Rule } from "./rule.js";

/** Stored arrival minus this is the watermark (`semantics.md` 20). */
export const LATENESS_US = 120 * US_PER_SECOND;
const MAX_KEYS = 50_000;
/** Of too many keys, this part is forgotten at once, so that not every further one has to look for the oldest. */
const EVICT_PART = 0.1;
/** A lane's own memory of a rule: since when it has seen records. No key of decoded text can be this. */
const SINCE_KEY = "\u0002since";

/** Where a state lives: rule, lane of records with a watermark of their own, key. */
export interface StateAddress {
  readonly ruleId: string;
  readonly lane: string;
  readonly key: string;
}

export interface SavedState extends StateAddress {
  readonly state: SavedRun;
}

/** What the engine says after a step: an episode of a rule and key as it now stands. */
export interface EpisodeReport extends StateAddress {
  readonly episode: Episode;
  /** It ended before the watermark: nothing that comes within the bound can change it any more. */
  readonly final: boolean;
}

export interface StepResult {
  readonly episodes: readonly EpisodeReport[];
  /** States that changed; null: nothing is left of it. */
  readonly states: readonly (StateAddress & { readonly state: SavedRun | null })[];
}

/** A key that came near to being raised. */
export interface NearMiss extends StateAddress, Progress {}

export interface EngineOptions {
  /** Zone whose hours of the week baselines go by. */
  readonly zone: string;
  /** Keys a rule may remember in one lane. */
  readonly maxKeys?: number;
}

interface Lane {
  readonly name: string;
  readonly machines: Map<string, KeyMachine>;
  /** When keys want to be looked at without a record: at most one entry a key that counts. */
  readonly due: DueTimes;
  readonly since: { us: EpochUs };
}

interface RunningRule {
  readonly program: RuleProgram;
  /** What its states depend on: rules that differ in words only keep them. */
  readonly logic: string;
  readonly lanes: Map<string, Lane>;
  evicted: number;
  /** What the records of this step mean to it, by key. */
  events: Map<string, RuleEvent[]>;
  /** While records are looked at: the last one of which it met a condition, and how many conditions. */
  metBy: HalvikRecord | null;
  met: number;
}

interface Target {
  readonly running: RunningRule;
  readonly condition: CompiledCondition;
  /** Its place among the rule's conditions; null: it clears. */
  readonly place: number | null;
}

interface Output {
  readonly episodes: EpisodeReport[];
  readonly states: StepResult["states"][number][];
}

type Amends = (rule: Rule, key: string, event: RuleEvent) => boolean;

/**
 * Runs rules over records: no clock, no I/O. Records come in lanes (live ones together; late or imported ones apart), each with a
 * watermark of its own. The caller keeps the changed states with what it makes of the episodes, in one transaction.
 */
export class RuleEngine {
  private rules: RunningRule[] = [];
  private dispatch = new Dispatch<Target>();

  constructor(
    rules: readonly Rule[],
    directory: SenderDirectory,
    private readonly options: EngineOptions,
    saved: readonly SavedState[] = [],
  ) {
    this.setRules(rules, directory);
    const byId = new Map(this.rules.map((r) => [r.program.rule.id, r]));
    for (const { ruleId, lane, key, state } of saved) {
      const running = byId.get(ruleId);
      if (!running) continue;
      const l = laneOf(running, lane);
      if (key === SINCE_KEY) l.since.us = state.rest as EpochUs;
      else schedule(l, key, this.keep(running, l, key, state));
    }
  }

  /** Replaces the rules. A rule keeps its states unless its logic is another. */
  setRules(rules: readonly Rule[], directory: SenderDirectory): void {
    const before = new Map(this.rules.map((r) => [r.program.rule.id, r]));
    this.dispatch = new Dispatch();
    const names = new EntityNames();
    this.rules = rules
      .filter((r) => r.enabled)
      .map((rule) => {
        const program = compileRule(rule, directory, this.options.zone, names);
        const logic = logicOf(rule);
        const old = before.get(rule.id);
        const running: RunningRule =
          old?.logic === logic ? begun(program, logic, old.lanes, old.evicted) : begun(program, logic, new Map(), 0);
        for (const [place, condition] of program.conditions.entries())
          this.dispatch.add(condition.filter, { running, condition, place });
        if (program.clearing)
          this.dispatch.add(program.clearing.filter, { running, condition: program.clearing, place: null });
        return running;
      });
  }

  /** The filters any of which a record must match to matter here: what the store is asked for. */
  filters(): Filter[] {
    return this.rules.flatMap(({ program: { rule } }) => {
      const clearing = clearingOf(rule);
      return [...conditionsOf(rule), ...(clearing ? [clearing] : [])].map((c) => parsed(c.filter));
    });
  }

  /** Keys forgotten per rule because more were alive than it may remember. */
  evictions(): ReadonlyMap<string, number> {
    return new Map(this.rules.filter((r) => r.evicted > 0).map((r) => [r.program.rule.id, r.evicted]));
  }

  /** Keys alive, over all rules and lanes. */
  get size(): number {
    let size = 0;
    for (const { lanes } of this.rules) for (const { machines } of lanes.values()) size += machines.size;
    return size;
  }

  /** Episodes of a lane that stand open. */
  standing(lane: string): EpisodeReport[] {
    return this.rules.flatMap(({ program, lanes }) =>
      [...(lanes.get(lane)?.machines ?? [])].flatMap(([key, machine]) => {
        const episode = machine.current();
        return episode === null ? [] : [{ ruleId: program.rule.id, lane, key, episode, final: false }];
      }),
    );
  }

  /** The keys of a rule that came nearest to being raised, the nearest first. */
  nearMisses(ruleId: string, most: number): NearMiss[] {
    const near: NearMiss[] = [];
    for (const { program, lanes } of this.rules) {
      if (program.rule.id !== ruleId) continue;
      for (const [lane, { machines }] of lanes)
        for (const [key, machine] of machines) {
          const progress = machine.progress();
          if (progress !== null) near.push({ ruleId, lane, key, ...progress });
        }
    }
    return near.sort((a, b) => b.have / b.need - a.have / a.need || b.lastUs - a.lastUs).slice(0, most);
  }

  /**
   * Takes records of one lane, in any order, and its watermark. Copies of records count once: they are passed over.
   * @param amends asked for each event: true when it belongs to a finding that stands already and was added there
   */
  step(lane: string, records: readonly HalvikRecord[], watermarkUs: EpochUs, amends?: Amends): StepResult {
    const out: Output = { episodes: [], states: [] };
    this.noteEvents(records, amends);
    for (const running of this.rules) {
      if (running.events.size === 0 && !running.lanes.has(lane)) continue;
      this.stepRule(running, lane, watermarkUs, out);
      if (running.events.size > 0) running.events = new Map();
    }
    return out;
  }

  /** A person closed a finding at `atUs`: its episode ends there and counting begins anew. */
  close(ruleId: string, key: string, atUs: EpochUs): StepResult {
    const out: Output = { episodes: [], states: [] };
    const running = this.rules.find((r) => r.program.rule.id === ruleId);
    for (const lane of running?.lanes.values() ?? []) {
      if (!running || !lane.machines.has(key)) continue;
      const event: RuleEvent = { timeUs: atUs, id: "0", meets: [], ends: "hand", values: [], amount: 0, entities: [] };
      this.stepKey(running, lane, key, [event], Number.NEGATIVE_INFINITY, out);
    }
    return out;
  }

  /** Notes with each rule what records mean to it. */
  private noteEvents(records: readonly HalvikRecord[], amends?: Amends): void {
    const candidates: Target[] = [];
    for (const record of records) {
      if (record.copyOf !== null) continue;
      candidates.length = 0;
      this.dispatch.gather(record, candidates);
      let hits = 0;
      for (let i = 0; i < candidates.length; i++)
        if (candidates[i]!.condition.matches(record)) candidates[hits++] = candidates[i]!;
      candidates.length = hits;
      // how many of its conditions a rule finds met, before the first of them is noted
      for (let i = 0; i < hits; i++) {
        const { running } = candidates[i]!;
        running.met = running.metBy === record ? running.met + 1 : 1;
        running.metBy = record;
      }
      for (let i = 0; i < hits; i++) {
        const target = candidates[i]!;
        const { running } = target;
        if (running.met === 1) this.noteOne(target, record, amends);
        else if (running.met > 1) {
          this.noteSeveral(
            running,
            candidates.filter((h) => h.running === running),
            record,
            amends,
          );
          running.met = 0;
        }
      }
    }
  }

  /** The usual case: a record meets one condition of a rule. */
  private noteOne({ running, condition, place }: Target, record: HalvikRecord, amends: Amends | undefined): void {
    const keys = condition.keys(record);
    if (keys.length === 0) return;
    const event = eventOf(running.program, record, place === null ? NO_PLACE : placeAlone(place));
    if (event === null) return;
    for (let i = 0; i < keys.length; i++) this.note(running, keys[i]!, event, amends);
  }

  /**
   * A record meets several conditions of a rule. What raises is not taken for what clears; but what must not come, and then comes, may
   * clear as well.
   */
  private noteSeveral(
    running: RunningRule,
    hits: readonly Target[],
    record: HalvikRecord,
    amends: Amends | undefined,
  ): void {
    const raises = hits.some((h) => h.place !== null && !running.program.absent.includes(h.place));
    const byKey = new Map<string, { meets: number[]; clears: boolean }>();
    for (const { condition, place } of hits) {
      if (place === null && raises) continue;
      for (const key of condition.keys(record)) {
        const said = byKey.get(key) ?? { meets: [], clears: false };
        byKey.set(key, said);
        if (place === null) said.clears = true;
        else if (!said.meets.includes(place)) said.meets.push(place);
      }
    }
    for (const [key, { meets, clears }] of byKey) {
      const event = eventOf(running.program, record, meets);
      if (event === null) continue;
      this.note(running, key, clears ? { ...event, ends: "record" } : event, amends);
    }
  }

  private note(running: RunningRule, key: string, event: RuleEvent, amends: Amends | undefined): void {
    if (amends?.(running.program.rule, key, event)) return;
    const list = running.events.get(key);
    if (list) list.push(event);
    else running.events.set(key, [event]);
  }

  private stepRule(running: RunningRule, name: string, watermarkUs: EpochUs, out: Output): void {
    const lane = laneOf(running, name);
    this.learnSince(running, lane, out);
    for (const [key, list] of running.events) {
      // nothing to clear, and nothing can come any more that it would have cleared
      if (!lane.machines.has(key) && list.every((e) => e.ends !== null && e.timeUs <= watermarkUs)) continue;
      this.stepKey(running, lane, key, list, watermarkUs, out);
    }
    for (const { second, keys } of lane.due.take(Math.floor(watermarkUs / US_PER_SECOND)))
      for (const key of keys) {
        const machine = lane.machines.get(key);
        // looked at meanwhile: another entry stands for it
        if (machine === undefined || machine.dueSecond !== second) continue;
        machine.dueSecond = 0;
        if (machine.nextChangeUs <= watermarkUs) this.stepKey(running, lane, key, NO_EVENTS, watermarkUs, out);
        else schedule(lane, key, machine);
      }
    this.evict(running, lane, out);
  }

  private learnSince(running: RunningRule, lane: Lane, out: Output): void {
    if (running.program.rule.kind !== "first") return;
    let first = lane.since.us;
    for (const list of running.events.values()) for (const e of list) first = Math.min(first, e.timeUs);
    if (first >= lane.since.us) return;
    lane.since.us = first;
    out.states.push({
      ruleId: running.program.rule.id,
      lane: lane.name,
      key: SINCE_KEY,
      state: { open: null, rest: first },
    });
  }

  private stepKey(
    running: RunningRule,
    lane: Lane,
    key: string,
    events: readonly RuleEvent[],
    watermarkUs: EpochUs,
    out: Output,
  ): void {
    const ruleId = running.program.rule.id;
    const machine = lane.machines.get(key) ?? this.keep(running, lane, key, null);
    const result = machine.step(events, watermarkUs);
    running.evicted += result.settledEarly;
    const idle = machine.isIdle;
    if (idle) lane.machines.delete(key);
    else schedule(lane, key, machine);
    if (result.settledChanged) out.states.push({ ruleId, lane: lane.name, key, state: idle ? null : machine.save() });
    for (const episode of result.settled) out.episodes.push({ ruleId, lane: lane.name, key, episode, final: true });
    for (const episode of result.provisional)
      out.episodes.push({ ruleId, lane: lane.name, key, episode, final: false });
  }

  private keep(running: RunningRule, lane: Lane, key: string, saved: SavedRun | null): KeyMachine {
    const { program } = running;
    const machine = new KeyMachine(program.begin(saved, lane.since), program.waits);
    lane.machines.set(key, machine);
    return machine;
  }

  private evict(running: RunningRule, lane: Lane, out: Output): void {
    const most = this.options.maxKeys ?? MAX_KEYS;
    if (lane.machines.size <= most) return;
    const oldest = [...lane.machines]
      .map(([key, machine]) => ({ key, us: machine.lastEventUs }))
      .sort((a, b) => a.us - b.us || (a.key < b.key ? -1 : 1));
    for (const { key } of oldest.slice(0, Math.ceil(lane.machines.size - most * (1 - EVICT_PART)))) {
      lane.machines.delete(key);
      running.evicted++;
      out.states.push({ ruleId: running.program.rule.id, lane: lane.name, key, state: null });
    }
  }
}

const NO_EVENTS: readonly RuleEvent[] = [];
const NO_PLACE: readonly number[] = [];
const NO_VALUES: readonly string[] = [];
const PLACES = Array.from({ length: 16 }, (_, i): readonly number[] => [i]);
/** One list for every event that meets one condition. */
const placeAlone = (place: number): readonly number[] => PLACES[place] ?? [place];

/** What a record says to a rule of which it meets these conditions, or else clears; null: nothing it could measure. */
function eventOf(program: RuleProgram, record: HalvikRecord, meets: readonly number[]): RuleEvent | null {
  const { timeUs, id } = record;
  if (meets.length === 0)
    return { timeUs, id, meets, ends: "record", values: NO_VALUES, amount: 0, entities: NO_VALUES };
  const amount = program.amount(record);
  if (amount === null) return null;
  return { timeUs, id, meets, ends: null, values: program.values(record), amount, entities: program.entities(record) };
}

const begun = (program: RuleProgram, logic: string, lanes: Map<string, Lane>, evicted: number): RunningRule => ({
  program,
  logic,
  lanes,
  evicted,
  events: new Map(),
  metBy: null,
  met: 0,
});

function laneOf(running: RunningRule, name: string): Lane {
  let lane = running.lanes.get(name);
  if (!lane) {
    lane = { name, machines: new Map(), due: new DueTimes(), since: { us: Number.POSITIVE_INFINITY } };
    running.lanes.set(name, lane);
  }
  return lane;
}

function schedule(lane: Lane, key: string, machine: KeyMachine): void {
  const us = machine.nextChangeUs;
  if (us === Number.POSITIVE_INFINITY) return;
  const second = Math.max(1, Math.floor(us / US_PER_SECOND));
  // later than the entry that stands: it is looked at then, and waits on
  if (machine.dueSecond !== 0 && second >= machine.dueSecond) return;
  machine.dueSecond = second;
  lane.due.add(second, key);
}

/** Words about a rule, as against what it does. */
const WORDS = [
  "name",
  "severity",
  "worse",
  "title",
  "remindSeconds",
  "listenOnly",
  "explainedBy",
  "reason",
  "notes",
  "owner",
  "tags",
  "references",
  "tests",
];

/** What a rule's states depend on: a change of words keeps them (`semantics.md` 23). */
export const logicOf = (rule: Rule): string =>
  JSON.stringify(Object.fromEntries(Object.entries(rule).filter(([name]) => !WORDS.includes(name))));
