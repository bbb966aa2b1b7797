import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";
import type { HalvikRecord } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { Dispatch } from "../query/dispatch/index.js";
import type { Filter, RecordTest } from "../query/filter/index.js";
import { type CompiledCondition, compileRule, type RuleProgram, settledAt } from "./compile-rule.js";
import { EchoFinder } from "./echo.js";
import type { Episode, RuleEvent } from "./event.js";
import { endedBy, eventOf, NO_PLACE } from "./event-of.js";
import { KeyMachine } from "./key-machine.js";
import type { Progress, SavedRun } from "./kinds/run.js";
import { logicOf } from "./logic.js";
import { placeAlone } from "./packed-event.js";
import type { Rule } from "./rule.js";
import { RuleFailure } from "./rule-failure.js";
import { type Lane, laneOf, type RunningRule, running, schedule } from "./running-rule.js";
import { SharedQuestions } from "./shared-questions.js";

/** Stored arrival minus this is the watermark (`docs/semantics.md` 20). */
export const LATENESS_US = 120 * US_PER_SECOND;
const MAX_KEYS = 50_000;
const MOST_ECHO_LANES = 100;
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
  /** Of which version: see `logicOf`. */
  readonly logic: string;
  readonly state: SavedRun;
}

/** What an engine goes on from. */
export interface Checkpoint {
  readonly states: readonly SavedState[];
  /** Earlier versions of rules that left findings open. */
  readonly earlier: readonly Rule[];
  /** From when on rules have the logic they have, by id; those not named had no other. */
  readonly since: ReadonlyMap<string, EpochUs>;
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
  readonly states: readonly ChangedState[];
}

export type ChangedState = Omit<SavedState, "state"> & { readonly state: SavedRun | null };

/** What other rules came to. */
export interface RulesChange {
  /** Ids of rules whose logic is another now: they know nothing of what was before, see `warmUp`. */
  readonly fresh: readonly string[];
  /** States that are gone with the versions they belonged to. */
  readonly states: readonly ChangedState[];
}

/** A key that came near to being raised. */
export interface NearMiss extends StateAddress, Progress {}

export interface EngineOptions {
  /** Zone whose hours of the week baselines go by. */
  readonly zone: string;
  /** Keys a rule may remember in one lane. */
  readonly maxKeys?: number;
}

interface Target {
  readonly running: RunningRule;
  readonly condition: CompiledCondition;
  /** Its place among the rule's conditions; null: it clears. */
  readonly place: number | null;
}

/** A filter, and all that wait for records that meet it. */
interface Asked {
  readonly filter: Filter;
  readonly matches: RecordTest;
  readonly targets: Target[];
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
  private dispatch: Dispatch<Asked>;
  /** What was heard twice, by lane; of the last seconds only, so that nothing of it is kept. */
  private readonly echoes = new Map<string, EchoFinder>();

  constructor(
    rules: readonly Rule[],
    directory: SenderDirectory,
    private readonly options: EngineOptions,
    from: Checkpoint = NOTHING_BEFORE,
  ) {
    const program = this.compiler(directory);
    this.rules = [
      ...from.earlier.map((rule) => running({ ...program(rule), sinceUs: ALWAYS, retired: true })),
      ...rules
        .filter((r) => r.enabled)
        .map((rule) => running({ ...program(rule), sinceUs: from.since.get(rule.id) ?? ALWAYS, retired: false })),
    ];
    this.goOnFrom(from.states);
    this.dispatch = this.indexConditions(directory);
  }

  /** Takes up states that were kept, before its first step. What belongs to no version that runs is left. */
  goOnFrom(states: readonly SavedState[]): void {
    const byId = new Map<string, RunningRule[]>();
    for (const r of this.rules) byId.set(r.program.rule.id, [...(byId.get(r.program.rule.id) ?? []), r]);
    for (const { ruleId, lane, key, logic, state } of states) {
      const rule = byId.get(ruleId)?.find((r) => r.logic === logic);
      if (!rule) continue;
      const l = laneOf(rule, lane);
      if (key === SINCE_KEY) l.since.us = state.rest as EpochUs;
      else schedule(l, key, this.keep(rule, l, key, state));
    }
  }

  /**
   * Replaces the rules. A rule keeps its states unless its logic is another: then the version before goes on for the findings it has
   * open and the new one begins (`docs/semantics.md` 23).
   * @param sinceUs from when on changed rules count: up to where the versions before have seen every record
   */
  setRules(rules: readonly Rule[], directory: SenderDirectory, sinceUs: EpochUs): RulesChange {
    const program = this.compiler(directory);
    const before = new Map(this.rules.map((r) => [versionKey(r.program.rule.id, r.logic), r]));
    const known = new Set(this.rules.filter((r) => !r.retired).map((r) => r.program.rule.id));
    const fresh: string[] = [];
    const current = rules
      .filter((r) => r.enabled)
      .map((rule) => {
        const version = program(rule);
        const at = versionKey(rule.id, version.logic);
        const old = before.get(at);
        before.delete(at);
        if (old && !old.retired) return running({ ...version, sinceUs: old.sinceUs, retired: false }, old);
        const isNew = !old && !known.has(rule.id);
        if (!isNew) fresh.push(rule.id);
        return running({ ...version, sinceUs: isNew ? ALWAYS : sinceUs, retired: false }, old);
      });
    const states: ChangedState[] = [];
    const retired = [...before.values()].flatMap((old) => this.retire(old, program(old.program.rule), states));
    this.rules = [...retired, ...current];
    this.dispatch = this.indexConditions(directory);
    return { fresh, states };
  }

  /** What is left of a version that no longer counts: the keys with something open. */
  private retire(
    old: RunningRule,
    version: Pick<RunningRule, "program" | "logic">,
    gone: ChangedState[],
  ): RunningRule[] {
    let left = 0;
    for (const lane of old.lanes.values())
      for (const [key, machine] of lane.machines) {
        if (machine.hasOpen) left++;
        else {
          lane.machines.delete(key);
          gone.push({ ruleId: old.program.rule.id, lane: lane.name, key, logic: old.logic, state: null });
        }
      }
    return left === 0 ? [] : [running({ ...version, sinceUs: old.sinceUs, retired: true }, old)];
  }

  private compiler(directory: SenderDirectory): (rule: Rule) => Pick<RunningRule, "program" | "logic"> {
    const asked = new SharedQuestions(directory);
    return (rule) => {
      try {
        return { program: compileRule(rule, directory, this.options.zone, asked), logic: logicOf(rule) };
      } catch (e) {
        throw new RuleFailure(rule.id, e);
      }
    };
  }

  private indexConditions(directory: SenderDirectory): Dispatch<Asked> {
    // what several ask in the same words is one test
    const asked = new Map<RecordTest, Asked>();
    const note = (target: Target) => {
      const { filter, matches } = target.condition;
      const same = asked.get(matches);
      if (same === undefined) asked.set(matches, { filter, matches, targets: [target] });
      else same.targets.push(target);
    };
    for (const rule of this.rules) {
      for (const [place, condition] of rule.program.conditions.entries()) note({ running: rule, condition, place });
      const { clearing } = rule.program;
      if (clearing) note({ running: rule, condition: clearing, place: null });
    }
    const dispatch = new Dispatch<Asked>(directory);
    for (const one of asked.values()) dispatch.add(one.filter, one);
    return dispatch;
  }

  /** The filters any of which a record must match to matter here: what the store is asked for. */
  filters(): Filter[] {
    return this.rules.flatMap((r) => filtersOf(r.program));
  }

  /** True for every record that matters to a rule; null when it is not running. */
  filterOf(ruleId: string): Filter | null {
    const rule = this.rules.find((r) => r.program.rule.id === ruleId && !r.retired);
    return rule ? { type: "or", items: filtersOf(rule.program), span: { start: 0, end: 0 } } : null;
  }

  /** Keys forgotten per rule because more were alive than it may remember. */
  evictions(): ReadonlyMap<string, number> {
    const forgot = new Map<string, number>();
    for (const { program, evicted } of this.rules)
      if (evicted > 0) forgot.set(program.rule.id, (forgot.get(program.rule.id) ?? 0) + evicted);
    return forgot;
  }

  /** Keys alive, over all rules and lanes. */
  get size(): number {
    let size = 0;
    for (const { lanes } of this.rules) for (const { machines } of lanes.values()) size += machines.size;
    return size;
  }

  /** Of the keys of a rule, how many do not know yet what is usual. */
  learning(ruleId: string): { readonly keys: number; readonly learning: number } {
    let keys = 0;
    let learning = 0;
    for (const { program, lanes, retired } of this.rules) {
      if (program.rule.id !== ruleId || retired) continue;
      for (const { machines } of lanes.values())
        for (const machine of machines.values()) {
          keys++;
          if (machine.isLearning) learning++;
        }
    }
    return { keys, learning };
  }

  /** Keys alive in a lane. */
  sizeOf(lane: string): number {
    return this.rules.reduce((sum, { lanes }) => sum + (lanes.get(lane)?.machines.size ?? 0), 0);
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
    for (const { program, lanes, retired } of this.rules) {
      if (program.rule.id !== ruleId || retired) continue;
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
   * @param watermarkUs records up to it are settled, to the last step before it (`settledAt`): they are not read again after a restart
   * @param amends asked for each event: true when it belongs to a finding that stands already and was added there
   */
  step(lane: string, records: readonly HalvikRecord[], watermarkUs: EpochUs, amends?: Amends): StepResult {
    const out: Output = { episodes: [], states: [] };
    this.noteEvents(lane, records, amends);
    const settledUs = settledAt(watermarkUs);
    for (const running of this.rules) {
      if (running.events.size === 0 && !running.lanes.has(lane)) continue;
      this.stepRule(running, lane, settledUs, out);
      if (running.events.size > 0) running.events = new Map();
    }
    return out;
  }

  /** Lets a rule whose logic is new see what came before it (`docs/semantics.md` 23): records of one window, in a lane and up to its watermark. */
  warmUp(ruleId: string, lane: string, records: readonly HalvikRecord[], watermarkUs: EpochUs): StepResult {
    const out: Output = { episodes: [], states: [] };
    // of no other rule: what that has seen already, it would count again
    this.noteEvents(lane, records, undefined, ruleId);
    for (const running of this.rules) {
      if (running.program.rule.id === ruleId && !running.retired)
        this.stepRule(running, lane, settledAt(watermarkUs), out);
      if (running.events.size > 0) running.events = new Map();
    }
    return out;
  }

  /**
   * What was learnt in a lane that brings nothing more goes on in another: an import of what was before is as good a teacher as the
   * time itself. What stands open stays where it was raised until it is over.
   * @param watermarkUs of the lane that goes on
   */
  passOn(from: string, to: string, watermarkUs: EpochUs): StepResult {
    const out: Output = { episodes: [], states: [] };
    for (const running of this.rules) {
      const source = running.lanes.get(from);
      if (!running.program.learns || running.retired || source === undefined || source.machines.size === 0) continue;
      const target = laneOf(running, to);
      let heardUs = 0;
      for (const [key, machine] of source.machines) {
        heardUs = Math.max(heardUs, machine.lastEventUs);
        const learnt = machine.learnt();
        if (learnt === null) continue;
        const heir = target.machines.get(key) ?? this.keep(running, target, key, null);
        if (heir.learnFrom(learnt)) {
          schedule(target, key, heir);
          this.noteState(running, target, key, heir.save(), out);
        }
        if (machine.hasOpen) continue;
        source.machines.delete(key);
        this.noteState(running, source, key, null, out);
      }
      // as much credit as it has listened for, and no more
      if (heardUs <= source.since.us) continue;
      this.learnSince(running, target, watermarkUs - (heardUs - source.since.us), out);
      source.since.us = Number.POSITIVE_INFINITY;
      this.noteState(running, source, SINCE_KEY, null, out);
    }
    return out;
  }

  /** A person closed a finding at `atUs`: its episode ends there and counting begins anew. */
  close(ruleId: string, key: string, atUs: EpochUs): StepResult {
    const out: Output = { episodes: [], states: [] };
    const event: RuleEvent = { ...endedBy("hand"), timeUs: atUs, id: "0" };
    for (const running of this.rules) {
      if (running.program.rule.id !== ruleId) continue;
      for (const lane of running.lanes.values()) {
        const machine = lane.machines.get(key);
        if (machine !== undefined) this.stepKey(running, lane, key, machine, [event], Number.NEGATIVE_INFINITY, out);
      }
    }
    return out;
  }

  private echoesOf(lane: string): EchoFinder {
    let finder = this.echoes.get(lane);
    if (finder === undefined) {
      // lanes of imports come and go
      if (this.echoes.size >= MOST_ECHO_LANES) this.echoes.clear();
      finder = new EchoFinder();
      this.echoes.set(lane, finder);
    }
    return finder;
  }

  /** Notes with each rule what records mean to it. */
  private noteEvents(lane: string, records: readonly HalvikRecord[], amends?: Amends, onlyRule?: string): void {
    const candidates: Asked[] = [];
    const met: Target[] = [];
    const echoes = this.echoesOf(lane);
    for (const record of records) {
      if (record.copyOf !== null) continue;
      candidates.length = 0;
      met.length = 0;
      const isEcho = echoes.isEcho(record);
      this.dispatch.gather(record, candidates);
      for (let i = 0; i < candidates.length; i++) {
        const { targets } = candidates[i]!;
        if (!meets(candidates[i]!, record)) continue;
        for (let j = 0; j < targets.length; j++) {
          const { running } = targets[j]!;
          if (onlyRule === undefined || (running.program.rule.id === onlyRule && !running.retired))
            met.push(targets[j]!);
        }
      }
      const hits = met.length;
      // how many of its conditions a rule finds met, before the first of them is noted
      for (let i = 0; i < hits; i++) {
        const { running } = met[i]!;
        running.met = running.metBy === record ? running.met + 1 : 1;
        running.metBy = record;
      }
      for (let i = 0; i < hits; i++) {
        const target = met[i]!;
        const { running } = target;
        try {
          if (running.met === 1) {
            running.metBy = null;
            if (running.program.gather === null || isEcho || amends !== undefined)
              this.noteOne(target, record, isEcho, amends);
            else this.gather(running, target.condition, lane, record);
          } else if (running.met > 1) {
            this.noteSeveral(
              running,
              met.filter((h) => h.running === running),
              record,
              isEcho,
              amends,
            );
            running.met = 0;
          }
        } catch (e) {
          throw RuleFailure.of(running, e);
        }
      }
    }
  }

  /** The usual case: a record meets one condition of a rule. */
  private noteOne(
    { running, condition, place }: Target,
    record: HalvikRecord,
    isEcho: boolean,
    amends: Amends | undefined,
  ): void {
    const keys = condition.keys(record);
    if (keys.length === 0) return;
    const event = eventOf(running.program, record, isEcho, place === null ? NO_PLACE : placeAlone(place));
    if (event === null) return;
    for (let i = 0; i < keys.length; i++) this.note(running, keys[i]!, event, amends);
  }

  /** It is enough that a record is summed with the others of its stretch. */
  private gather(running: RunningRule, condition: CompiledCondition, name: string, record: HalvikRecord): void {
    const { program } = running;
    const amount = program.amount(record);
    if (amount === null) return;
    const lane = laneOf(running, name);
    this.summingFor = program;
    this.summed = record;
    const keys = condition.keys(record);
    for (let i = 0; i < keys.length; i++) {
      const key = keys[i]!;
      let machine = lane.machines.get(key);
      if (machine === undefined) {
        // an earlier version begins nothing
        if (running.retired) continue;
        machine = this.keep(running, lane, key, null);
      }
      if (machine.gather(record.timeUs, record.id, amount, this.gathered, program.gather!))
        schedule(lane, key, machine);
    }
  }

  /** What the record that is summed is to its rule: asked for at once, or not at all. One function for every record. */
  private readonly gathered = (): RuleEvent => eventOf(this.summingFor!, this.summed!, false, ONE_PLACE)!;
  private summingFor: RuleProgram | null = null;
  private summed: HalvikRecord | null = null;

  /**
   * A record meets several conditions of a rule. What raises is not taken for what clears; but what must not come, and then comes, may
   * clear as well.
   */
  private noteSeveral(
    running: RunningRule,
    hits: readonly Target[],
    record: HalvikRecord,
    isEcho: boolean,
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
      const event = eventOf(running.program, record, isEcho, meets);
      if (event === null) continue;
      this.note(running, key, clears ? { ...event, ends: "record" } : event, amends);
    }
  }

  private note(running: RunningRule, key: string, event: RuleEvent, amends: Amends | undefined): void {
    if (!event.isEcho && amends?.(running.program.rule, key, event)) return;
    const list = running.events.get(key);
    if (list) list.push(event);
    else running.events.set(key, [event]);
  }

  private stepRule(running: RunningRule, name: string, watermarkUs: EpochUs, out: Output): void {
    try {
      this.stepLaneOf(running, name, watermarkUs, out);
    } catch (e) {
      throw RuleFailure.of(running, e);
    }
  }

  private stepLaneOf(running: RunningRule, name: string, watermarkUs: EpochUs, out: Output): void {
    const lane = laneOf(running, name);
    if (running.program.learnsFromFirst) this.learnSince(running, lane, firstOf(running.events), out);
    for (const [key, list] of running.events) {
      const machine = lane.machines.get(key);
      // an earlier version begins nothing
      if (machine === undefined && running.retired) continue;
      // nothing to clear, and nothing can come any more that it would have cleared
      if (machine === undefined && list.every((e) => e.ends !== null && e.timeUs <= watermarkUs)) continue;
      this.stepKey(running, lane, key, machine ?? this.keep(running, lane, key, null), list, watermarkUs, out);
    }
    for (const { second, keys } of lane.due.take(Math.floor(watermarkUs / US_PER_SECOND)))
      for (const key of keys) {
        const machine = lane.machines.get(key);
        // looked at meanwhile: another entry stands for it
        if (machine === undefined || machine.dueSecond !== second) continue;
        machine.dueSecond = 0;
        if (machine.nextChangeUs <= watermarkUs) this.stepKey(running, lane, key, machine, NO_EVENTS, watermarkUs, out);
        else schedule(lane, key, machine);
      }
    this.evict(running, lane, out);
  }

  private learnSince(running: RunningRule, lane: Lane, firstUs: EpochUs, out: Output): void {
    if (firstUs >= lane.since.us) return;
    lane.since.us = firstUs;
    this.noteState(running, lane, SINCE_KEY, { open: null, rest: firstUs }, out);
  }

  private stepKey(
    running: RunningRule,
    lane: Lane,
    key: string,
    machine: KeyMachine,
    events: readonly RuleEvent[],
    watermarkUs: EpochUs,
    out: Output,
  ): void {
    const result = machine.step(events, watermarkUs);
    running.evicted += result.settledEarly;
    const isDone = machine.isIdle || (running.retired && !machine.hasOpen);
    if (isDone) lane.machines.delete(key);
    else schedule(lane, key, machine);
    if (result.settledChanged) this.noteState(running, lane, key, isDone ? null : machine.save(), out);
    if (result.settled.length + result.provisional.length === 0 || this.isHeldByEarlier(running, lane.name, key))
      return;
    for (const episode of result.settled) this.report(running, lane, key, episode, true, out);
    for (const episode of result.provisional) this.report(running, lane, key, episode, false, out);
  }

  private noteState(running: RunningRule, lane: Lane, key: string, state: SavedRun | null, out: Output): void {
    out.states.push({ ruleId: running.program.rule.id, lane: lane.name, key, logic: running.logic, state });
  }

  private report(running: RunningRule, lane: Lane, key: string, episode: Episode, final: boolean, out: Output): void {
    if (episode.lastUs <= running.sinceUs) return;
    out.episodes.push({ ruleId: running.program.rule.id, lane: lane.name, key, episode, final });
  }

  /** While an earlier version has a finding open for a key, it is that one which stands. */
  private isHeldByEarlier(running: RunningRule, lane: string, key: string): boolean {
    return (
      !running.retired &&
      running.sinceUs !== ALWAYS &&
      this.rules.some(
        (r) =>
          r.retired && r.program.rule.id === running.program.rule.id && (r.lanes.get(lane)?.machines.has(key) ?? false),
      )
    );
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
      this.noteState(running, lane, key, null, out);
    }
  }
}

function meets({ matches, targets }: Asked, record: HalvikRecord): boolean {
  try {
    return matches(record);
  } catch (e) {
    throw RuleFailure.of(targets[0]!.running, e);
  }
}

function firstOf(events: RunningRule["events"]): EpochUs {
  let first = Number.POSITIVE_INFINITY;
  for (const list of events.values()) for (const e of list) first = Math.min(first, e.timeUs);
  return first;
}

const NO_EVENTS: readonly RuleEvent[] = [];
const filtersOf = ({ conditions, clearing }: RuleProgram): Filter[] =>
  [...conditions, ...(clearing ? [clearing] : [])].map((c) => c.filter);

/** A rule that never had another logic. */
const ALWAYS = Number.NEGATIVE_INFINITY;
const NOTHING_BEFORE: Checkpoint = { states: [], earlier: [], since: new Map() };
const versionKey = (ruleId: string, logic: string): string => `${ruleId} ${logic}`;
const ONE_PLACE = placeAlone(0);
