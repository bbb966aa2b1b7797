import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";
import type { HalvikRecord } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import type { Filter } from "../query/filter/index.js";
import { compileRule, type RuleProgram, settledAt } from "./compile-rule.js";
import { EchoFinders } from "./echo.js";
import type {
  ChangedState,
  Checkpoint,
  EngineOptions,
  EpisodeReport,
  NearMiss,
  RulesChange,
  SavedState,
  StepResult,
} from "./engine-data.js";
import type { Episode, RuleEvent } from "./event.js";
import { endedBy } from "./event-of.js";
import type { KeyMachine } from "./key-machine.js";
import type { SavedRun } from "./kinds/run.js";
import { logicOf } from "./logic.js";
import { type Amends, EventNotes } from "./note-events.js";
import type { Rule } from "./rule.js";
import { RuleFailure } from "./rule-failure.js";
import { begin, type Lane, laneOf, type RunningRule, running, schedule } from "./running-rule.js";
import { SharedQuestions } from "./shared-questions.js";

/** Stored arrival minus this is the watermark (`docs/semantics.md` 20). */
export const LATENESS_US = 120 * US_PER_SECOND;
const MAX_KEYS = 50_000;
/** Of too many keys, this part is forgotten at once, so that not every further one has to look for the oldest. */
const EVICT_PART = 0.1;
/** A lane's own memory of a rule: since when it has seen records. No key of decoded text can be this. */
const SINCE_KEY = "\u0002since";

interface Output {
  readonly episodes: EpisodeReport[];
  readonly states: StepResult["states"][number][];
}

/**
 * Runs rules over records: no clock, no I/O. Records come in lanes (live ones together; late or imported ones apart), each with a
 * watermark of its own. The caller keeps the changed states with what it makes of the episodes, in one transaction.
 */
export class RuleEngine {
  private rules: RunningRule[] = [];
  private notes: EventNotes;
  /** What was heard twice, by lane; of the last seconds only, so that nothing of it is kept. */
  private readonly echoes = new EchoFinders();

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
    this.notes = new EventNotes(this.rules, directory);
  }

  /** Takes up states that were kept, before its first step. What belongs to no version that runs is left. */
  goOnFrom(states: readonly SavedState[]): void {
    const byId = new Map<string, RunningRule[]>();
    for (const r of this.rules) byId.set(r.program.rule.id, [...(byId.get(r.program.rule.id) ?? []), r]);
    for (const { ruleId, lane, key, logic, state } of states) {
      const rule = byId.get(ruleId)?.find((r) => r.logic === logic);
      if (!rule) continue;
      const l = laneOf(rule, lane);
      if (key === SINCE_KEY)
        l.since.us = ("text" in state ? (JSON.parse(state.text) as SavedRun) : state).rest as EpochUs;
      else schedule(l, key, begin(l, key, state));
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
    this.notes = new EventNotes(this.rules, directory);
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
          gone.push({ ruleId: old.program.rule.id, lane: lane.name, key, logic: old.logic, state: null, brief: null });
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
    const near: { lane: string; key: string; machine: KeyMachine; near: number }[] = [];
    for (const { program, lanes, retired } of this.rules) {
      if (program.rule.id !== ruleId || retired) continue;
      for (const [lane, { machines }] of lanes)
        for (const [key, machine] of machines) {
          const { near: part } = machine;
          if (part !== null) near.push({ lane, key, machine, near: part });
        }
    }
    return near
      .sort((a, b) => b.near - a.near || b.machine.lastEventUs - a.machine.lastEventUs)
      .slice(0, most)
      .flatMap(({ lane, key, machine }) => {
        const progress = machine.progress();
        return progress === null ? [] : [{ ruleId, lane, key, ...progress }];
      })
      .sort((a, b) => b.have / b.need - a.have / a.need || b.lastUs - a.lastUs);
  }

  /**
   * Takes records of one lane, in any order, and its watermark. Copies of records count once: they are passed over.
   * @param watermarkUs records up to it are settled, to the last step before it (`settledAt`): they are not read again after a restart
   * @param amends asked for each event: true when it belongs to a finding that stands already and was added there
   */
  step(lane: string, records: readonly HalvikRecord[], watermarkUs: EpochUs, amends?: Amends): StepResult {
    const out: Output = { episodes: [], states: [] };
    this.notes.note(lane, records, this.echoes.of(lane), amends);
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
    this.notes.note(lane, records, this.echoes.of(lane), undefined, ruleId);
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
        const heir = target.machines.get(key) ?? begin(target, key, null);
        if (heir.learnFrom(learnt)) {
          schedule(target, key, heir);
          this.noteState(running, target, key, heir, out);
        }
        if (machine.hasOpen) continue;
        source.machines.delete(key);
        this.noteState(running, source, key, null, out);
      }
      // as much credit as it has listened for, and no more
      if (heardUs <= source.since.us) continue;
      this.learnSince(running, target, watermarkUs - (heardUs - source.since.us), out);
      source.since.us = Number.POSITIVE_INFINITY;
      this.noteSince(running, source, null, out);
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
      this.stepKey(running, lane, key, machine ?? begin(lane, key, null), list, watermarkUs, out);
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
    // whether they still learn is another question now
    for (const machine of lane.machines.values()) machine.wake();
    this.noteSince(running, lane, { open: null, rest: firstUs }, out);
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
    if (result.settledChanged) this.noteState(running, lane, key, isDone ? null : machine, out);
    if (result.settled.length + result.provisional.length === 0 || this.isHeldByEarlier(running, lane.name, key))
      return;
    for (const episode of result.settled) this.report(running, lane, key, episode, true, out);
    for (const episode of result.provisional) this.report(running, lane, key, episode, false, out);
  }

  private noteState(running: RunningRule, lane: Lane, key: string, machine: KeyMachine | null, out: Output): void {
    const [state, brief] = machine === null ? [null, null] : [machine.save(), machine.brief()];
    out.states.push({ ruleId: running.program.rule.id, lane: lane.name, key, logic: running.logic, state, brief });
  }

  private noteSince(running: RunningRule, lane: Lane, state: SavedRun | null, out: Output): void {
    const { rule } = running.program;
    out.states.push({ ruleId: rule.id, lane: lane.name, key: SINCE_KEY, logic: running.logic, state, brief: null });
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
