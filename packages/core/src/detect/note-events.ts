import type { HalvikRecord } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { Dispatch } from "../query/dispatch/index.js";
import type { Filter, RecordTest } from "../query/filter/index.js";
import type { CompiledCondition, RuleProgram } from "./compile-rule.js";
import type { EchoFinder } from "./echo.js";
import type { RuleEvent } from "./event.js";
import { eventOf, NO_PLACE } from "./event-of.js";
import { placeAlone } from "./packed-event.js";
import type { Rule } from "./rule.js";
import { RuleFailure } from "./rule-failure.js";
import { begin, laneOf, type RunningRule, schedule } from "./running-rule.js";

/** Asked for each event: true when it belongs to a finding that stands already and was added there. */
export type Amends = (rule: Rule, key: string, event: RuleEvent) => boolean;

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

const ONE_PLACE = placeAlone(0);

/** Finds out what records mean to the rules that run: which conditions they meet, of which keys. Made anew when rules change. */
export class EventNotes {
  private readonly dispatch: Dispatch<Asked>;

  /** @param rules those that run */
  constructor(rules: readonly RunningRule[], directory: SenderDirectory) {
    // what several ask in the same words is one test
    const asked = new Map<RecordTest, Asked>();
    const note = (target: Target) => {
      const { filter, matches } = target.condition;
      const same = asked.get(matches);
      if (same === undefined) asked.set(matches, { filter, matches, targets: [target] });
      else same.targets.push(target);
    };
    for (const rule of rules) {
      for (const [place, condition] of rule.program.conditions.entries()) note({ running: rule, condition, place });
      const { clearing } = rule.program;
      if (clearing) note({ running: rule, condition: clearing, place: null });
    }
    this.dispatch = new Dispatch<Asked>(directory);
    for (const one of asked.values()) this.dispatch.add(one.filter, one);
  }

  /** Notes with each rule what records of a lane mean to it. @param echoes what that lane has heard of late @param onlyRule with this one alone */
  note(
    lane: string,
    records: readonly HalvikRecord[],
    echoes: EchoFinder,
    amends: Amends | undefined,
    onlyRule?: string,
  ): void {
    const candidates: Asked[] = [];
    const met: Target[] = [];
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
    for (let i = 0; i < keys.length; i++) this.add(running, keys[i]!, event, amends);
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
        machine = begin(lane, key, null);
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
      this.add(running, key, clears ? { ...event, ends: "record" } : event, amends);
    }
  }

  private add(running: RunningRule, key: string, event: RuleEvent, amends: Amends | undefined): void {
    if (!event.isEcho && amends?.(running.program.rule, key, event)) return;
    const list = running.events.get(key);
    if (list) list.push(event);
    else running.events.set(key, [event]);
  }
}

function meets({ matches, targets }: Asked, record: HalvikRecord): boolean {
  try {
    return matches(record);
  } catch (e) {
    throw RuleFailure.of(targets[0]!.running, e);
  }
}
