import { type EpochUs, US_PER_SECOND } from "../base/time/index.js";
import type { HalvikRecord } from "../model/record/index.js";
import type { RuleProgram } from "./compile-rule.js";
import { DueTimes } from "./due-times.js";
import type { RuleEvent } from "./event.js";
import { type HowRun, KeyMachine } from "./key-machine.js";
import type { KeptRun, SavedRun } from "./kinds/run.js";

/** Records with a watermark of their own, as one rule remembers them. */
export interface Lane {
  readonly name: string;
  readonly machines: Map<string, KeyMachine>;
  /** When keys want to be looked at without a record: at most one entry a key that counts. */
  readonly due: DueTimes;
  readonly since: { us: EpochUs };
  readonly how: HowRun;
}

/** A version of a rule while it runs. */
export interface RunningRule {
  readonly program: RuleProgram;
  /** What its states depend on: rules that differ in words only keep them. */
  readonly logic: string;
  /** From when on it has this logic: evidence must reach past it (`docs/semantics.md` 23). */
  readonly sinceUs: EpochUs;
  /** An earlier version, or one that was switched off: it keeps and clears what it has raised, and raises nothing. */
  readonly retired: boolean;
  readonly lanes: Map<string, Lane>;
  evicted: number;
  /** What the records of this step mean to it, by key. */
  events: Map<string, RuleEvent[]>;
  /** While records are looked at: the last one of which it met a condition, and how many conditions. */
  metBy: HalvikRecord | null;
  met: number;
}

/** What a version goes on from: the lanes of an earlier one, where there is one. */
export function running(
  version: Pick<RunningRule, "program" | "logic" | "sinceUs" | "retired">,
  from?: Pick<RunningRule, "lanes" | "evicted">,
): RunningRule {
  return {
    ...version,
    lanes: from?.lanes ?? new Map(),
    evicted: from?.evicted ?? 0,
    events: new Map(),
    metBy: null,
    met: 0,
  };
}

export function laneOf(rule: RunningRule, name: string): Lane {
  let lane = rule.lanes.get(name);
  if (!lane) {
    const since = { us: Number.POSITIVE_INFINITY };
    const { program } = rule;
    const how: HowRun = { begin: (saved) => program.begin(saved, since), waits: program.waits };
    lane = { name, machines: new Map(), due: new DueTimes(), since, how };
    rule.lanes.set(name, lane);
  }
  return lane;
}

/** Begins with a key, or goes on from what was saved of it. */
export function begin(lane: Lane, key: string, saved: SavedRun | KeptRun | null): KeyMachine {
  const machine = new KeyMachine(lane.how, saved);
  lane.machines.set(key, machine);
  return machine;
}

export function schedule(lane: Lane, key: string, machine: KeyMachine): void {
  const us = machine.nextChangeUs;
  if (us === Number.POSITIVE_INFINITY) return;
  const second = Math.max(1, Math.floor(us / US_PER_SECOND));
  // later than the entry that stands: it is looked at then, and waits on
  if (machine.dueSecond !== 0 && second >= machine.dueSecond) return;
  machine.dueSecond = second;
  lane.due.add(second, key);
}
