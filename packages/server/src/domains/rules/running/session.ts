import { US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import {
  type ChangedState,
  LATENESS_US,
  MOST_KEPT,
  type Rule,
  RuleEngine,
  type RuleEvent,
  ruleWindowUs,
  type StepResult,
  settledAt,
} from "@halvik/core/detect";
import type { HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import { nowUs } from "../../../kernel/clock.js";
import { type Client, transaction } from "../../../kernel/db/pool.js";
import type { BatchIds } from "../../../store/batches.js";
import { heldNumbers } from "../../../store/collectors.js";
import { allInIdRange, recordsInIdRange } from "../../../store/find-records.js";
import type { LateEvidence } from "../../incidents/amend-findings.js";
import { Findings } from "../../incidents/findings.js";
import type { FindingRow } from "../../incidents/findings-repository.js";
import { loadDirectory } from "../../intake/senders/directory-cache.js";
import { directoryVersion } from "../../names/repository.js";
import type { Care, Isolated } from "./careful.js";
import { loadCheckpoint, saveStates } from "./checkpoint-repository.js";
import {
  batchesToFollow,
  batchesToReplay,
  type Cursor,
  type FollowedBatch,
  forgetCloses,
  forgetLane,
  loadCursors,
  loadLanes,
  loadRules,
  ruleVersion,
  saveCursor,
  saveLanes,
  takeCloses,
} from "./repository.js";

const BATCHES_PER_STEP = 100;
/** Records a step takes at most, so that one after a storm is held in memory and answers soon; a single batch is always taken. */
const ROWS_PER_STEP = 50_000;
const MAX_RECORDS_PER_STEP = 1_000_000;
/** A collector whose batches lag this far behind the newest no longer holds the watermark back. */
const STALLED_US = US_PER_MINUTE;
/** A record's time may be this much ahead of its arrival (`docs/semantics.md` 2), and a little for batches under way. */
const AHEAD_US = 6 * US_PER_MINUTE;
/** A rule that thinks in days begins to remember with what comes: reading days back would hold up what is due now. */
const MAX_WARM_UP_US = 60 * US_PER_MINUTE;
const LIVE_LANE = "live";
const LATE_LANE = "late";
/** The clock was set back where what arrives is so much older than what has been settled; less is within the bound of lateness. */
const SET_BACK_US = 90 * US_PER_SECOND;

/**
 * The engine on one database connection: follows committed batches, runs the rules, and commits findings, states and cursors
 * together. On any error the session is thrown away and a new one reads everything back: nothing is lost or repeated.
 */
export class EngineSession {
  private constructor(
    readonly client: Client,
    private engine: RuleEngine,
    private rules: Map<string, Rule>,
    private rulesVersion: number,
    private directory: SenderDirectory,
    private namesVersion: string,
    private readonly findings: Findings,
    private readonly cursors: Map<number, Cursor>,
    private readonly lanes: Map<string, number>,
    private readonly zone: string,
    private readonly care: Care,
  ) {
    this.savedLanes = new Map(lanes);
  }

  private isolated: Isolated[] = [];

  /** Rules and findings that failed since this was last asked. */
  takeIsolated(): readonly Isolated[] {
    return this.isolated.splice(0);
  }

  /** @param care what earlier sessions have learnt about writing findings */
  static async open(client: Client, zone: string, care: Care): Promise<EngineSession> {
    const namesVersion = await directoryVersion(client, nowUs());
    const directory = await loadDirectory(client, zone);
    const { rules, version, stopped, broken } = await loadRules(client);
    const { states, ...versions } = await loadCheckpoint(client, rules, stopped);
    const engine = new RuleEngine(rules, directory, { zone }, { ...versions, states: [] });
    for await (const some of states) engine.goOnFrom(some);
    const cursors = new Map((await loadCursors(client)).map((c) => [c.collector, c]));
    const lanes = await loadLanes(client);
    const findings = await Findings.load(client, zone, nowUs());
    const session = new EngineSession(
      client,
      engine,
      byId(rules),
      version,
      directory,
      namesVersion,
      findings,
      cursors,
      lanes,
      zone,
      care,
    );
    session.isolated.push(...broken.map((b) => ({ ...b, stopped: true })));
    session.measureAhead(session.generation, lanes.get(session.liveLane) ?? 0);
    session.replayed = await session.replay();
    return session;
  }

  /** What the replay of unsettled records said; applied with the first step. */
  private replayed: StepResult[] = [];

  /** Reads again what came after the watermarks: it was followed before, but only settled state is kept. */
  private async replay(): Promise<StepResult[]> {
    const filter = this.anyFilter();
    const results: StepResult[] = [];
    const live: HalvikRecord[] = [];
    const late: HalvikRecord[] = [];
    const after = (lane: string) => this.lanes.get(lane) ?? Number.POSITIVE_INFINITY;
    for (const cursor of this.cursors.values()) {
      const lane = cursor.kind === "import" ? this.importLane(cursor.collector) : this.liveLane;
      const watermark = this.lanes.get(lane);
      if (watermark === undefined || filter === null) continue;
      const batches = await batchesToReplay(this.client, cursor, watermark - AHEAD_US);
      const records = await this.read(sinceSetBack(batches), filter);
      if (cursor.kind === "import")
        results.push(
          this.engine.step(
            lane,
            records.filter((r) => r.timeUs > watermark),
            watermark,
          ),
        );
      else for (const r of records) (isLate(r) ? late : live).push(r);
    }
    results.push(
      this.engine.step(
        this.liveLane,
        live.filter((r) => r.timeUs > after(this.liveLane)),
        this.lanes.get(this.liveLane) ?? Number.NEGATIVE_INFINITY,
      ),
    );
    const unclaimed = (rule: Rule, key: string, event: { timeUs: number }) =>
      this.findings.standing(rule, key, event.timeUs) !== undefined;
    results.push(
      this.engine.step(
        this.lateLane,
        late.filter((r) => r.timeUs > after(this.lateLane)),
        this.lanes.get(this.lateLane) ?? Number.NEGATIVE_INFINITY,
        unclaimed,
      ),
    );
    for (const close of await takeCloses(this.client, true, nowUs()))
      results.push(this.engine.close(close.ruleId, close.key, close.atUs));
    return results;
  }

  /** Keys of each rule that are near to being raised, and how many it forgot. */
  nearness(most: number) {
    const forgot = this.engine.evictions();
    return [...this.rules.keys()].map((id) => ({
      id,
      near: this.engine.nearMisses(id, most),
      forgot: forgot.get(id) ?? 0,
      ...this.engine.learning(id),
    }));
  }

  get activeRules(): ReadonlyMap<string, Rule> {
    return this.rules;
  }

  get senderDirectory(): SenderDirectory {
    return this.directory;
  }

  /** Up to where every live record has been seen, in µs of arrival; null before the first batch. */
  get liveThroughUs(): number | null {
    const through = [...this.cursors.values()].filter((c) => c.kind === "live").map((c) => c.throughUs);
    if (through.length === 0) return null;
    const newest = Math.max(...through);
    return Math.min(...through.filter((t) => newest - t < STALLED_US));
  }

  /** One step over what is new. @returns whether there was more than one step takes */
  async step(): Promise<boolean> {
    await this.refresh();
    // asked first: an import that is over by then has no batch that is not seen below
    const held = await heldNumbers(this.client);
    const waiting = await batchesToFollow(this.client, BATCHES_PER_STEP);
    const batches = firstOf(waiting, ROWS_PER_STEP);
    const isolated: Isolated[] = [];
    await transaction(this.client, async () => {
      const amended = new Map<FindingRow, LateEvidence>();
      const results = await this.run(batches, new Set([...held, ...left(waiting, batches)]), amended);
      results.unshift(...this.replayed);
      for (const close of await takeCloses(this.client, false, nowUs()))
        results.push(this.engine.close(close.ruleId, close.key, close.atUs));
      const now = nowUs();
      const guard = this.care.guard(this.client, async (ruleId, reason) => {
        isolated.push({ ruleId, reason, stopped: false });
      });
      await this.findings.amend(this.client, amended, now, guard);
      // one result at a time: within one, each episode is a finding of its own; across them, the same episode may come again
      for (const { episodes } of results)
        await this.findings.apply(this.client, episodes, this.rules, this.directory, now, guard);
      await this.saveStates(results.flatMap((r) => r.states));
      for (const collector of new Set(batches.map((b) => b.collector)))
        await saveCursor(this.client, this.cursors.get(collector)!);
      await this.saveMovedLanes();
      for (const lane of this.doneLanes()) {
        this.lanes.delete(lane);
        await forgetLane(this.client, lane);
      }
    });
    this.savedLanes = new Map(this.lanes);
    this.replayed = [];
    this.isolated.push(...isolated);
    return batches.length < waiting.length || waiting.length >= BATCHES_PER_STEP;
  }

  /** Watermarks of lanes as they are stored. */
  private savedLanes: ReadonlyMap<string, number>;

  /** Watermarks move every few seconds, most steps write nothing of them; closings they passed are not asked for again. */
  private async saveMovedLanes(): Promise<void> {
    const moved = new Map([...this.lanes].filter(([lane, watermark]) => this.savedLanes.get(lane) !== watermark));
    if (moved.size === 0) return;
    await saveLanes(this.client, moved);
    const live = moved.get(this.liveLane);
    if (live !== undefined) await forgetCloses(this.client, live);
  }

  private async saveStates(states: readonly ChangedState[]): Promise<void> {
    if (!this.care.isCareful) return saveStates(this.client, states);
    const guard = this.care.ruleGuard(this.client);
    for (const ruleId of new Set(states.map((s) => s.ruleId)))
      await guard.run(ruleId, () =>
        saveStates(
          this.client,
          states.filter((s) => s.ruleId === ruleId),
        ),
      );
  }

  /** @param going numbers of collectors that bring more than these batches */
  private async run(
    batches: readonly FollowedBatch[],
    going: ReadonlySet<number>,
    amended: Map<FindingRow, LateEvidence>,
  ): Promise<StepResult[]> {
    const filter = this.anyFilter();
    const live: HalvikRecord[] = [];
    const late: HalvikRecord[] = [];
    const results: StepResult[] = [];
    for (const group of byCollector(batches).flatMap(byClock)) {
      const last = group[group.length - 1]!;
      const ids = filter === null ? null : idsOf(group);
      const records = ids === null ? [] : await allInIdRange(this.client, ids);
      this.cursors.set(last.collector, {
        collector: last.collector,
        kind: last.kind,
        number: last.number,
        throughUs: last.throughUs,
      });
      if (last.kind === "import") {
        let lane = this.importLane(last.collector);
        // another import under the same number begins with an older capture: its clock starts anew, in a lane of its own
        if (group[0]!.throughUs < (this.lanes.get(lane) ?? 0) - AHEAD_US) lane = nextLane(lane);
        if (last.runRules) results.push(this.stepLane(lane, records, last.throughUs - LATENESS_US));
      } else for (const r of records) (isLate(r) ? late : live).push(r);
    }
    const through = this.liveThroughUs;
    if (through === null) return results;
    const watermark = through - LATENESS_US;
    if (watermark < (this.lanes.get(this.liveLane) ?? watermark) - SET_BACK_US) this.beginAnew(watermark);
    results.push(this.stepLane(this.liveLane, live, watermark));
    results.push(
      this.stepLane(this.lateLane, late, watermark - LATENESS_US * 5, (rule, key, event) => {
        const finding = event.ends === null ? this.findings.standing(rule, key, event.timeUs) : undefined;
        if (finding) amended.set(finding, withLate(amended.get(finding), event));
        return finding !== undefined;
      }),
    );
    // what an import left open lasts or clears by the live clock, and what it learnt is known from now on
    const busy = new Set([...going].map((number) => this.importLane(number)));
    for (const lane of [...this.lanes.keys()])
      if (lane.startsWith(IMPORT_LANE) && !busy.has(lane)) {
        results.push(this.stepLane(lane, [], watermark));
        results.push(this.engine.passOn(lane, this.liveLane, watermark));
      }
    // lanes of a clock that was set back go on by the time that passes; what they have open ends as it would have
    for (const [lane, aheadUs] of this.left) {
      results.push(this.stepLane(lane, [], watermark + aheadUs));
      if (lane.startsWith(LIVE_LANE)) results.push(this.engine.passOn(lane, this.liveLane, watermark));
    }
    return results;
  }

  /** Which time the clock was set back for: lanes of their own, since a watermark never goes back. */
  private get generation(): number {
    return Math.max(0, ...[...this.lanes.keys()].map((lane) => generationOf(lane, LIVE_LANE)));
  }

  private get liveLane(): string {
    return laneOfGeneration(LIVE_LANE, this.generation);
  }

  private get lateLane(): string {
    return laneOfGeneration(LATE_LANE, this.generation);
  }

  /** Lanes of earlier generations, and by how much their clocks are ahead of the one that counts. */
  private get left(): readonly (readonly [lane: string, aheadUs: number])[] {
    return [...this.ahead].filter(([lane]) => this.lanes.has(lane));
  }

  private readonly ahead = new Map<string, number>();

  private measureAhead(generation: number, watermark: number): void {
    for (const [lane, own] of this.lanes) {
      const of = Math.max(generationOf(lane, LIVE_LANE), generationOf(lane, LATE_LANE));
      if (of >= 0 && of < generation && !this.ahead.has(lane)) this.ahead.set(lane, own - watermark);
    }
  }

  private beginAnew(watermark: number): void {
    const before = this.generation;
    this.measureAhead(before + 1, watermark);
    this.lanes.set(laneOfGeneration(LIVE_LANE, before + 1), settledAt(watermark));
  }

  /** The lane of the import that runs under a collector's number, or ran last. */
  private importLane(collector: number): string {
    const prefix = `${IMPORT_LANE}${collector}.`;
    const generations = [...this.lanes.keys()]
      .filter((l) => l.startsWith(prefix))
      .map((l) => Number(l.slice(prefix.length)));
    return `${prefix}${Math.max(0, ...generations)}`;
  }

  /** Lanes of imports that are over and of which nothing is left; the last of each number is kept for the next one's clock. */
  private doneLanes(): string[] {
    const last = new Set([...this.cursors.values()].map((c) => this.importLane(c.collector)));
    return [...this.lanes.keys()].filter(
      (l) =>
        ((l.startsWith(IMPORT_LANE) && !last.has(l)) || this.left.some(([left]) => left === l)) &&
        this.engine.sizeOf(l) === 0,
    );
  }

  private stepLane(
    lane: string,
    records: readonly HalvikRecord[],
    watermarkUs: number,
    amends?: Parameters<RuleEngine["step"]>[3],
  ): StepResult {
    const settled = Math.max(this.lanes.get(lane) ?? Number.NEGATIVE_INFINITY, settledAt(watermarkUs));
    this.lanes.set(lane, settled);
    return this.engine.step(lane, records, settled, amends);
  }

  /** True for every record that some rule may look at; null without rules. */
  private anyFilter(): Filter | null {
    const items = this.engine.filters();
    return items.length === 0 ? null : { type: "or", items, span: { start: 0, end: 0 } };
  }

  /** Of batches of one collector, which may reach far back, what a filter may match. */
  private async read(group: readonly FollowedBatch[], filter: Filter): Promise<HalvikRecord[]> {
    const ids = idsOf(group);
    if (ids === null) return [];
    return recordsInIdRange(this.client, ids, filter, this.directory, nowUs(), MAX_RECORDS_PER_STEP, "rules");
  }

  private async refresh(): Promise<void> {
    const namesVersion = await directoryVersion(this.client, nowUs());
    const rulesVersion = await ruleVersion(this.client);
    if (namesVersion === this.namesVersion && rulesVersion === this.rulesVersion) return;
    this.directory = await loadDirectory(this.client, this.zone);
    const { rules, version, broken } = await loadRules(this.client);
    this.isolated.push(...broken.map((b) => ({ ...b, stopped: true })));
    // what is stored and not yet looked at is the new version's to raise on: counted from now, it would be nobody's
    const now = nowUs();
    const { fresh, states } = this.engine.setRules(rules, this.directory, Math.min(now, this.liveThroughUs ?? now));
    this.rules = byId(rules);
    this.rulesVersion = version;
    this.namesVersion = namesVersion;
    this.replayed.push({ episodes: [], states });
    for (const id of fresh) this.replayed.push(await this.warmUp(this.rules.get(id)!));
  }

  /** A rule whose logic is new looks at one window of what was before. */
  private async warmUp(rule: Rule): Promise<StepResult> {
    const watermark = this.lanes.get(this.liveLane);
    const filter = this.engine.filterOf(rule.id);
    if (watermark === undefined || filter === null) return { episodes: [], states: [] };
    const fromUs = watermark - Math.min(ruleWindowUs(rule), MAX_WARM_UP_US);
    const records: HalvikRecord[] = [];
    for (const cursor of this.cursors.values())
      if (cursor.kind !== "import")
        for (const record of await this.read(await batchesToReplay(this.client, cursor, fromUs), filter))
          if (record.timeUs >= fromUs && !isLate(record)) records.push(record);
    return this.engine.warmUp(rule.id, this.liveLane, records, watermark);
  }
}

/** The bounds of what rules look at in batches of one collector, in order; null: nothing. */
function idsOf(group: readonly FollowedBatch[]): BatchIds | null {
  const filled = group.filter((b) => b.rows > 0 && b.runRules);
  const [first, last] = [filled[0], filled[filled.length - 1]];
  return first && last ? { collector: first.collector, low: first.lowId!, high: last.highId! } : null;
}

const laneOfGeneration = (name: string, generation: number): string =>
  generation === 0 ? name : `${name}.${generation}`;

/** -1: not a lane of this name. */
function generationOf(lane: string, name: string): number {
  if (lane === name) return 0;
  const n = lane.startsWith(`${name}.`) ? Number(lane.slice(name.length + 1)) : Number.NaN;
  return Number.isInteger(n) ? n : -1;
}

/** Of batches in order, those after the clock was last set back: those before are another lane's. */
function sinceSetBack(batches: readonly FollowedBatch[]): readonly FollowedBatch[] {
  for (let i = batches.length - 1; i > 0; i--)
    if (batches[i - 1]!.throughUs > batches[i]!.throughUs + SET_BACK_US) return batches.slice(i);
  return batches;
}

/** Of each collector the batches that come first, up to its share of so many rows, one at least. */
function firstOf(batches: readonly FollowedBatch[], rows: number): readonly FollowedBatch[] {
  const groups = byCollector(batches);
  return groups.flatMap((group) => {
    let sum = 0;
    const end = group.findIndex((b, i) => {
      sum += b.rows;
      return i > 0 && sum > rows / groups.length;
    });
    return end < 0 ? group : group.slice(0, end);
  });
}

/** Collectors of which more is to be followed than these batches. */
function left(waiting: readonly FollowedBatch[], taken: readonly FollowedBatch[]): number[] {
  const last = new Map(taken.map((b) => [b.collector, b]));
  return byCollector(waiting).flatMap((group) => {
    const { collector } = group[0]!;
    const isAll = last.get(collector) === group[group.length - 1] && group.length < BATCHES_PER_STEP;
    return isAll ? [] : [collector];
  });
}

const withLate = (before: LateEvidence | undefined, { id, timeUs }: RuleEvent): LateEvidence => {
  const evidence = before?.evidence ?? [];
  // one list that grows: thousands may come late at once
  if (evidence.length < MOST_KEPT) evidence.push({ id, timeUs });
  return {
    count: (before?.count ?? 0) + 1,
    firstUs: Math.min(before?.firstUs ?? timeUs, timeUs),
    lastUs: Math.max(before?.lastUs ?? timeUs, timeUs),
    evidence,
  };
};

const isLate = (r: HalvikRecord): boolean => r.marks.includes("late") || r.marks.includes("held");
const IMPORT_LANE = "import ";
const nextLane = (lane: string): string => lane.replace(/\d+$/, (n) => String(Number(n) + 1));

const byId = (rules: readonly Rule[]): Map<string, Rule> => new Map(rules.map((r) => [r.id, r]));

/** Parts of an import's batches whose clock runs on: where it goes back, another import has begun. */
function byClock(group: readonly FollowedBatch[]): FollowedBatch[][] {
  const parts: FollowedBatch[][] = [];
  let latestUs = Number.POSITIVE_INFINITY;
  for (const b of group) {
    if (parts.length === 0 || (b.kind === "import" && b.throughUs < latestUs - AHEAD_US)) parts.push([]);
    parts[parts.length - 1]!.push(b);
    latestUs = b.throughUs;
  }
  return parts;
}

function byCollector(batches: readonly FollowedBatch[]): FollowedBatch[][] {
  const groups = new Map<number, FollowedBatch[]>();
  for (const b of batches) groups.set(b.collector, [...(groups.get(b.collector) ?? []), b]);
  return [...groups.values()];
}
