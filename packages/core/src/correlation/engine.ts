import { compileFilter, type Filter, parseFilter, type RecordTest } from "../filter/index.js";
import { type FieldName, field, type HalvikRecord } from "../record/index.js";
import type { SenderDirectory } from "../senders/index.js";
import { type EpochUs, US_PER_SECOND } from "../time/index.js";
import { type CountEvent, CountKey, type CountLogic, type Episode, type SettledState } from "./count.js";
import type { Rule } from "./rule.js";

/** Stored arrival minus this is the watermark (`semantics.md` 20). */
export const LATENESS_US = 120 * US_PER_SECOND;
const MAX_KEYS = 50_000;
/** Separates the values of a key, and field from value in an entity: cannot occur in decoded text that was typed. */
export const KEY_SEPARATOR = "\u0001";

/** Where a state lives: rule, lane of records with a watermark of their own, key. */
export interface StateAddress {
  readonly ruleId: string;
  readonly lane: string;
  readonly key: string;
}

export interface SavedState extends StateAddress {
  readonly state: SettledState;
}

/** What the engine says after a step: an episode of a rule and key as it now stands. */
export interface EpisodeReport extends StateAddress {
  readonly episode: Episode;
}

export interface StepResult {
  readonly episodes: readonly EpisodeReport[];
  /** States that changed; null: nothing is left of it. */
  readonly states: readonly (StateAddress & { readonly state: SettledState | null })[];
}

interface CompiledRule {
  readonly rule: Rule;
  readonly logic: CountLogic;
  readonly matches: RecordTest;
  readonly clears: RecordTest | null;
  readonly states: Map<string, Map<string, CountKey>>;
  evicted: number;
}

/**
 * Runs rules over records: no clock, no I/O. Records come in lanes (live ones together; late or imported ones apart), each with a
 * watermark of its own. The caller keeps the changed states with what it makes of the episodes, in one transaction.
 */
export class RuleEngine {
  private rules: CompiledRule[] = [];

  constructor(rules: readonly Rule[], directory: SenderDirectory, saved: readonly SavedState[] = []) {
    this.setRules(rules, directory);
    for (const { ruleId, lane, key, state } of saved) {
      const compiled = this.rules.find((r) => r.rule.id === ruleId);
      if (compiled) lanesOf(compiled, lane).set(key, new CountKey(compiled.logic, state));
    }
  }

  /** Replaces the rules; states of rules that stay are kept. */
  setRules(rules: readonly Rule[], directory: SenderDirectory): void {
    this.rules = rules
      .filter((r) => r.enabled)
      .map((rule) => {
        const old = this.rules.find((c) => c.rule.id === rule.id);
        return {
          rule,
          logic: {
            count: rule.count,
            windowUs: rule.windowSeconds * US_PER_SECOND,
            quietUs: rule.clear.by === "quiet" ? rule.clear.seconds * US_PER_SECOND : null,
          },
          matches: compileText(rule.filter, directory),
          clears: rule.clear.by === "record" ? compileText(rule.clear.filter, directory) : null,
          states: old?.states ?? new Map(),
          evicted: old?.evicted ?? 0,
        };
      });
  }

  /** The filters any of which a record must match to matter here: what the store is asked for. */
  filters(): Filter[] {
    return this.rules
      .flatMap(({ rule }) => [rule.filter, ...(rule.clear.by === "record" ? [rule.clear.filter] : [])])
      .map(parsed);
  }

  /** Keys forgotten per rule because more than 50,000 were alive. */
  evictions(): ReadonlyMap<string, number> {
    return new Map(this.rules.filter((r) => r.evicted > 0).map((r) => [r.rule.id, r.evicted]));
  }

  /**
   * Takes records of one lane, in any order, and its watermark. Copies of records count once: they are passed over.
   * @param amends asked for each event: true when it belongs to a finding that stands already and was added there
   */
  step(
    lane: string,
    records: readonly HalvikRecord[],
    watermarkUs: EpochUs,
    amends?: (rule: Rule, key: string, event: CountEvent) => boolean,
  ): StepResult {
    const episodes: EpisodeReport[] = [];
    const states: StepResult["states"][number][] = [];
    for (const compiled of this.rules) {
      const byKey = new Map<string, CountEvent[]>();
      for (const record of records) {
        if (record.copyOf !== null) continue;
        const what = compiled.matches(record) ? "match" : compiled.clears?.(record) ? "clear" : null;
        if (what === null) continue;
        const event: CountEvent = {
          timeUs: record.timeUs,
          id: record.id,
          what,
          entities: what === "match" ? entitiesOf(compiled.rule, record) : [],
        };
        for (const key of keysOf(compiled.rule.key, record))
          if (!amends?.(compiled.rule, key, event)) push(byKey, key, event);
      }
      const lanes = lanesOf(compiled, lane);
      for (const [key, state] of lanes) if (!byKey.has(key) && state.changesAt(watermarkUs)) byKey.set(key, []);
      for (const [key, events] of byKey) this.stepKey(compiled, lane, key, events, watermarkUs, episodes, states);
      this.evict(compiled, lane, states);
    }
    return { episodes, states };
  }

  /** A person closed a finding at `atUs`: its episode ends there and counting begins anew. */
  close(ruleId: string, key: string, atUs: EpochUs): StepResult {
    const episodes: EpisodeReport[] = [];
    const states: StepResult["states"][number][] = [];
    const compiled = this.rules.find((r) => r.rule.id === ruleId);
    for (const [lane, keys] of compiled?.states ?? []) {
      if (!compiled || !keys.has(key)) continue;
      const event: CountEvent = { timeUs: atUs, id: "0", what: "close", entities: [] };
      this.stepKey(compiled, lane, key, [event], Number.NEGATIVE_INFINITY, episodes, states);
    }
    return { episodes, states };
  }

  private stepKey(
    compiled: CompiledRule,
    lane: string,
    key: string,
    events: readonly CountEvent[],
    watermarkUs: EpochUs,
    episodes: EpisodeReport[],
    states: StepResult["states"][number][],
  ): void {
    const lanes = lanesOf(compiled, lane);
    const address = { ruleId: compiled.rule.id, lane, key };
    let count = lanes.get(key);
    if (!count) {
      count = new CountKey(compiled.logic);
      lanes.set(key, count);
    }
    const result = count.step(events, watermarkUs);
    compiled.evicted += result.settledEarly;
    if (count.isIdle) lanes.delete(key);
    if (result.settledChanged) states.push({ ...address, state: count.isIdle ? null : count.save() });
    for (const episode of [...result.settled, ...result.provisional]) episodes.push({ ...address, episode });
  }

  private evict(compiled: CompiledRule, lane: string, states: StepResult["states"][number][]): void {
    const lanes = lanesOf(compiled, lane);
    if (lanes.size <= MAX_KEYS) return;
    const oldest = [...lanes]
      .map(([key, state]) => ({ key, us: state.lastEventUs }))
      .sort((a, b) => a.us - b.us || (a.key < b.key ? -1 : 1));
    for (const { key } of oldest.slice(0, lanes.size - MAX_KEYS)) {
      lanes.delete(key);
      compiled.evicted++;
      states.push({ ruleId: compiled.rule.id, lane, key, state: null });
    }
  }
}

function parsed(text: string): Filter {
  const result = parseFilter(text, { zone: "UTC" });
  if (!result.ok) throw new Error(`rule filter: ${result.error.message}`);
  return result.filter;
}

// rules may not name time, so "now" has no influence
const compileText = (text: string, directory: SenderDirectory): RecordTest =>
  compileFilter(parsed(text), { directory, nowUs: 0 });

function lanesOf(compiled: CompiledRule, lane: string): Map<string, CountKey> {
  let keys = compiled.states.get(lane);
  if (!keys) {
    keys = new Map();
    compiled.states.set(lane, keys);
  }
  return keys;
}

function push<T>(map: Map<string, T[]>, key: string, value: T): void {
  const list = map.get(key);
  if (list) list.push(value);
  else map.set(key, [value]);
}

/** Every combination of the key fields' values; none when one is missing. Text folds are left to the reader. */
function keysOf(names: readonly FieldName[], record: HalvikRecord): string[] {
  let keys = [""];
  for (const [i, name] of names.entries()) {
    const values = field(name).get(record);
    keys = keys.flatMap((key) => values.map((v) => (i === 0 ? String(v) : `${key}${KEY_SEPARATOR}${v}`)));
  }
  return keys;
}

function entitiesOf(rule: Rule, record: HalvikRecord): string[] {
  return [...rule.key, ...rule.entities].flatMap((name) =>
    field(name)
      .get(record)
      .map((v) => `${name}${KEY_SEPARATOR}${v}`),
  );
}
