import { US_PER_DAY } from "@halvik/core/base/time";
import { type EpisodeReport, findingTitle, type Rule, RuleEngine } from "@halvik/core/detect";
import type { HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import { nowUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";
import { type PageKey, searchRecords } from "../../store/search.js";
import type { TermIndex } from "../../store/term-index.js";

const PAGE = 4_000;
const PAGE_BUDGET_MS = 2_000;
const LANE = "rehearsal";
const LISTED = 200;
/** Records of one moment that wait for more of it. */
const MOST_OF_A_MOMENT = 20_000;
const EXAMPLES = 3;
const REMEMBERED_TEXTS = 10_000;

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
  const search = (cursor: PageKey | null) =>
    searchRecords(db, {
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
      reader: "rules",
    });
  let coming = search(null);
  for (;;) {
    const page = await coming;
    if (page.next !== null) {
      // the database reads on while the rules look at what it gave
      coming = search(page.next);
      // whoever stops asking does not wait for it
      coming.catch(() => undefined);
    }
    records += page.records.length;
    const started = performance.now();
    for (const run of runs) run.step(page.records);
    engineMs += performance.now() - started;
    if (page.next === null) break;
    yield progress(page.next.timeUs, false);
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
  /** Texts of records by id, as long as one may be asked for as the example of a finding: in two ages, the older one goes at once. */
  private texts = new Map<string, string>();
  private olderTexts: ReadonlyMap<string, string> = new Map();
  /** Records of the last moment seen: more of it may come with the next page. */
  private lastMoment: readonly HalvikRecord[] = [];

  constructor(
    private readonly rule: Rule,
    private readonly scope: RehearsalScope,
  ) {
    this.engine = new RuleEngine([{ ...rule, enabled: true }], scope.directory, { zone: scope.zone });
  }

  /** Takes records in order of time. What is stored has come: all but the last moment settles at once. */
  step(records: readonly HalvikRecord[]): void {
    if (records.length === 0) return;
    for (const r of records) this.remember(r.id, r.text);
    const all = [...this.lastMoment, ...records];
    const lastUs = all[all.length - 1]!.timeUs;
    let end = all.length;
    while (end > 0 && all[end - 1]!.timeUs === lastUs && all.length - end < MOST_OF_A_MOMENT) end--;
    this.lastMoment = all.slice(end);
    if (end > 0) this.take(this.engine.step(LANE, all.slice(0, end), all[end - 1]!.timeUs).episodes);
  }

  finish(untilUs: number): void {
    this.take(this.engine.step(LANE, this.lastMoment, untilUs).episodes);
    for (const report of this.engine.standing(LANE)) this.add(report);
  }

  found(): Rehearsed {
    return {
      findings: this.count,
      incidents: this.incidents,
      listed: this.ended.map((report) => ({
        report,
        title: findingTitle(this.rule, { ...report.episode, key: report.key }, this.scope.directory),
        examples: report.episode.first
          .flatMap((e) => this.texts.get(e.id) ?? this.olderTexts.get(e.id) ?? [])
          .slice(0, EXAMPLES),
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
    if (this.texts.size >= REMEMBERED_TEXTS) {
      this.olderTexts = this.texts;
      this.texts = new Map();
    }
    this.texts.set(id, text.slice(0, 300));
  }
}
