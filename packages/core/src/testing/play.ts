import {
  type ChangedState,
  type Episode,
  LATENESS_US,
  type Rule,
  RuleEngine,
  type SavedRun,
  settledAt,
} from "../detect/index.js";
import type { HalvikRecord } from "../model/record/index.js";
import { SenderDirectory } from "../model/senders/index.js";

const NOBODY = new SenderDirectory([]);
/** Long enough for all quiet times, stretches and learning of a rule that thinks in minutes. */
const ENDS_AFTER_US = 3 * 3_600e6;

/** How records reach the engine; times in µs after the record's own time. */
export interface Arrivals {
  /** By record, how much later it arrives: at most the lateness bound. */
  readonly delays: readonly number[];
  /** Sizes of the batches, used over and over. */
  readonly sizes: readonly number[];
  /** Before which batches the engine is killed and started from what was saved. */
  readonly crashes: readonly boolean[];
  /** Which batches come twice. */
  readonly repeats: readonly boolean[];
  /** Stands for the bound the engine goes by; another one than the arrivals keep is a planted fault. */
  readonly boundUs?: number;
}

export interface Played {
  readonly rule: string;
  readonly key: string;
  readonly episode: Omit<Episode, "added">;
  /** Ids of all records that were reported as evidence of this rule and key within the episode. */
  readonly evidence: readonly string[];
}

/** Runs rules over records as they arrive, to the end of time, and gives every episode as it finally stands. */
export function play(
  rules: readonly Rule[],
  records: readonly HalvikRecord[],
  arrivals?: Arrivals,
  endsAfterUs = ENDS_AFTER_US,
  directory = NOBODY,
): Played[] {
  const options = { zone: "UTC" };
  const { delays = [0], sizes = [records.length], crashes = [], repeats = [], boundUs = LATENESS_US } = arrivals ?? {};
  const order = records
    .map((record, i) => ({ record, arrivesUs: record.timeUs + delays[i % delays.length]! }))
    .sort((a, b) => a.arrivesUs - b.arrivesUs);
  let engine = new RuleEngine(rules, directory, options);
  const saved = new Map<string, ChangedState & { readonly text: string }>();
  const ended: Played[] = [];
  const reported = new Map<string, Map<string, number>>();
  const played = (rule: string, key: string, { added = [], ...episode }: Episode): Played => {
    const at = `${rule} ${key}`;
    const known = reported.get(at) ?? new Map<string, number>();
    reported.set(at, known);
    for (const { id, timeUs } of [...added, ...episode.first, ...episode.latest]) known.set(id, timeUs);
    const within = [...known].filter(([, us]) => us >= episode.firstUs && us <= episode.lastUs);
    return { rule, key, episode, evidence: within.map(([id]) => id) };
  };
  let watermarkUs = Number.NEGATIVE_INFINITY;
  const step = (batch: readonly HalvikRecord[], us: number): Played[] => {
    const { episodes, states } = engine.step("live", batch, us);
    for (const s of states) {
      const address = `${s.ruleId} ${s.key}`;
      // what is saved comes back as text
      if (s.state === null) saved.delete(address);
      else saved.set(address, { ...s, text: JSON.stringify(s.state) });
    }
    const all = episodes.map((e) => ({ final: e.final, played: played(e.ruleId, e.key, e.episode) }));
    ended.push(...all.flatMap((e) => (e.final ? [e.played] : [])));
    return all.flatMap((e) => (e.final ? [] : [e.played]));
  };
  let batchNumber = 0;
  for (let i = 0; i < order.length; batchNumber++) {
    if (crashes[batchNumber % crashes.length]) {
      engine = new RuleEngine(rules, directory, options, {
        // states say in brief what is asked of them, or, kept before they did, are read at once
        states: [...saved.values()].map(({ text, brief, ...s }, i) => ({
          ...s,
          state: brief === null || i % 3 === 0 ? (JSON.parse(text) as SavedRun) : { ...brief, text },
        })),
        earlier: [],
        since: new Map(),
      });
      // what came after what is settled is read again
      const again = order.slice(0, i).filter((o) => o.record.timeUs > settledAt(watermarkUs));
      const before = ended.length;
      step(
        again.map((o) => o.record),
        watermarkUs,
      );
      if (ended.length > before) throw new Error("a restart ended an episode again");
    }
    const batch = order.slice(i, i + sizes[batchNumber % sizes.length]!);
    i += batch.length;
    watermarkUs = Math.max(watermarkUs, batch[batch.length - 1]!.arrivesUs - boundUs - 1);
    const come = batch.map((o) => o.record);
    step(repeats[batchNumber % repeats.length] ? [...come, ...come].reverse() : come, watermarkUs);
  }
  const last = step([], Math.max(0, ...records.map((r) => r.timeUs)) + endsAfterUs);
  const stillOpen = last.filter((p) => p.episode.clearedUs === null);
  // what stands open and was not touched by the last step stands in the states
  for (const { text, ruleId, key } of saved.values()) {
    const { open } = JSON.parse(text) as SavedRun;
    if (open && !stillOpen.some((p) => p.rule === ruleId && p.key === key)) stillOpen.push(played(ruleId, key, open));
  }
  return [...ended, ...stillOpen].sort(
    (a, b) =>
      a.rule.localeCompare(b.rule) ||
      a.key.localeCompare(b.key) ||
      a.episode.firstUs - b.episode.firstUs ||
      a.episode.raisedUs - b.episode.raisedUs,
  );
}
