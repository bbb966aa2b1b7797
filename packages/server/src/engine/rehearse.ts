import { type EpisodeReport, findingTitle, LATENESS_US, type Rule, RuleEngine } from "@halvik/core/correlation";
import type { Filter } from "@halvik/core/filter";
import type { SenderDirectory } from "@halvik/core/senders";
import { US_PER_DAY } from "@halvik/core/time";
import { nowUs } from "../config/clock.js";
import type { Queryable } from "../store/pool.js";
import { type PageKey, searchRecords } from "../store/search.js";
import type { TermIndex } from "../store/term-index.js";

const PAGE = 1_000;
const PAGE_BUDGET_MS = 2_000;
const LANE = "rehearsal";
const LISTED = 200;
const EXAMPLES = 3;

export interface RehearsalScope {
  readonly fromUs: number;
  readonly toUs: number;
  readonly directory: SenderDirectory;
  readonly zone: string;
  readonly terms: TermIndex;
}

/** What one version of a rule found so far. */
export interface Rehearsed {
  readonly findings: number;
  readonly incidents: number;
  readonly listed: readonly { readonly title: string; readonly report: EpisodeReport; readonly examples: string[] }[];
}

export interface RehearsalProgress {
  readonly throughUs: number;
  readonly records: number;
  readonly done: boolean;
  readonly versions: readonly Rehearsed[];
  readonly costUs: number;
  readonly forgot: number;
}

/**
 * Runs a rule, or two versions of one, over what is stored of a window, in order of time, without leaving anything behind. Yields how
 * far it has come after every page; whoever stops asking stops it.
 */
export async function* rehearse(
  db: Queryable,
  rules: readonly Rule[],
  scope: RehearsalScope,
): AsyncGenerator<RehearsalProgress> {
  const runs = rules.map((rule) => new Version(rule, scope));
  const filters = runs.flatMap((r) => r.engine.filters());
  const filter: Filter = { type: "or", items: filters, span: { start: 0, end: 0 } };
  let cursor: PageKey | null = null;
  let records = 0;
  let engineMs = 0;
  const progress = (throughUs: number, done: boolean): RehearsalProgress => ({
    throughUs,
    records,
    done,
    versions: runs.map((r) => r.found()),
    costUs: records === 0 ? 0 : (engineMs * 1_000) / records / runs.length,
    forgot: runs.reduce((sum, r) => sum + [...r.engine.evictions().values()].reduce((a, b) => a + b, 0), 0),
  });
  for (;;) {
    const page = await searchRecords(db, {
      filter,
      fromUs: scope.fromUs,
      toUs: scope.toUs,
      limit: PAGE,
      cursor,
      direction: "newer",
      directory: scope.directory,
      nowUs: nowUs(),
      budgetMs: PAGE_BUDGET_MS,
      terms: scope.terms,
    });
    records += page.records.length;
    const last = page.records[page.records.length - 1];
    const started = performance.now();
    if (last !== undefined) for (const run of runs) run.step(page.records, last.timeUs);
    engineMs += performance.now() - started;
    if (page.next === null) break;
    cursor = page.next;
    yield progress(cursor.timeUs, false);
  }
  for (const run of runs) run.finish(scope.toUs);
  yield progress(scope.toUs, true);
}

/** One version of a rule on its way through the window. */
class Version {
  readonly engine: RuleEngine;
  private readonly ended: EpisodeReport[] = [];
  private count = 0;
  private incidents = 0;
  private readonly endedUs = new Map<string, number>();
  /** Texts of the first records of a finding, by record id, as long as one may still be asked for. */
  private readonly texts = new Map<string, string>();

  constructor(
    private readonly rule: Rule,
    private readonly scope: RehearsalScope,
  ) {
    this.engine = new RuleEngine([{ ...rule, enabled: true }], scope.directory, { zone: scope.zone });
  }

  step(records: Parameters<RuleEngine["step"]>[1], untilUs: number): void {
    for (const r of records) this.remember(r.id, r.text);
    // what is stored has come: nothing is waited for, but the same bound keeps the same order of settling
    this.take(this.engine.step(LANE, records, untilUs - LATENESS_US).episodes);
  }

  finish(untilUs: number): void {
    this.take(this.engine.step(LANE, [], untilUs).episodes);
    for (const report of this.engine.standing(LANE)) this.add(report);
  }

  found(): Rehearsed {
    return {
      findings: this.count,
      incidents: this.incidents,
      listed: this.ended.map((report) => ({
        report,
        title: findingTitle(this.rule, { ...report.episode, key: report.key }, this.scope.directory),
        examples: report.episode.first.flatMap((e) => this.texts.get(e.id) ?? []).slice(0, EXAMPLES),
      })),
    };
  }

  private take(reports: readonly EpisodeReport[]): void {
    for (const report of reports) if (report.final) this.add(report);
  }

  private add(report: EpisodeReport): void {
    const { key, episode } = report;
    this.count++;
    // as findings are placed: what returns within a day is the same incident
    const before = this.endedUs.get(key);
    if (before === undefined || episode.firstUs - before >= US_PER_DAY) this.incidents++;
    this.endedUs.set(key, episode.clearedUs ?? Number.POSITIVE_INFINITY);
    this.ended.push(report);
    if (this.ended.length > LISTED) this.ended.shift();
  }

  private remember(id: string, text: string): void {
    this.texts.set(id, text.slice(0, 300));
    if (this.texts.size > 20_000) this.texts.delete(this.texts.keys().next().value!);
  }
}
