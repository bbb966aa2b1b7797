import type { EpochUs } from "../base/time/index.js";
import type { Episode } from "./event.js";
import type { Brief, KeptRun, Progress, SavedRun } from "./kinds/run.js";
import type { Rule } from "./rule.js";

/** Where a state lives: rule, lane of records with a watermark of their own, key. */
export interface StateAddress {
  readonly ruleId: string;
  readonly lane: string;
  readonly key: string;
}

export interface SavedState extends StateAddress {
  /** Of which version: see `logicOf`. */
  readonly logic: string;
  readonly state: SavedRun | KeptRun;
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

export interface ChangedState extends StateAddress {
  readonly logic: string;
  readonly state: SavedRun | null;
  /** Of the state; null: it says nothing in brief. */
  readonly brief: Brief | null;
}

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
