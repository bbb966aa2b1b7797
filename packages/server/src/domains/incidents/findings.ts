import { type Episode, type EpisodeReport, type Evidence, type Rule, suspectsOf } from "@halvik/core/detect";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";
import { amend, type LateEvidence } from "./amend-findings.js";
import { type Attached, keepEvidence, keepRecords } from "./evidence-repository.js";
import { type FindingRow, insertFinding, loadFindings, recentEvidence, updateFinding } from "./findings-repository.js";
import { grow, keepWithinDay, noteCleared } from "./grow-incident.js";
import { HeardBefore } from "./heard-before.js";
import { growthDueUs, type Known, KnownFindings, writtenNow } from "./known-findings.js";
import { place } from "./place-finding.js";
import { RecentEvidence } from "./recent-evidence.js";

const MAX_FINDINGS = 50_000;

/** How what rules' findings need is written. */
export interface Guard {
  /** Each by itself, so that what is refused does not take the rest of the step along; else together what can be. */
  readonly isApart: boolean;
  run(ruleId: string, work: () => Promise<void>): Promise<void>;
}
export const TOGETHER: Guard = { isApart: false, run: (_, work) => work() };

/** Turns episodes into findings and incidents. An episode that overlaps a finding of its rule and key (± window) is that finding. */
export class Findings {
  private readonly known = new KnownFindings(MAX_FINDINGS);
  /** Growth of findings that is not written yet. */
  private readonly deferred = new Map<Known, EpisodeReport>();
  private readonly heard = new HeardBefore();
  private readonly evidence = new RecentEvidence();

  /** @param zone whose clock shelving windows go by */
  private constructor(private readonly zone: string) {}

  static async load(db: Queryable, zone: string, nowUs: number): Promise<Findings> {
    const findings = new Findings(zone);
    for (const row of await loadFindings(db, MAX_FINDINGS))
      findings.known.add({ ...row, sinceUs: nowUs, written: null });
    for (const { id, ...evidence } of await recentEvidence(db)) findings.evidence.note(id, evidence);
    return findings;
  }

  /** Adds what came late to the findings it falls into. */
  async amend(
    db: Queryable,
    amended: ReadonlyMap<FindingRow, LateEvidence>,
    nowUs: number,
    guard: Guard,
  ): Promise<void> {
    if (!guard.isApart) return amend(db, amended, nowUs);
    for (const [finding, late] of amended)
      await guard.run(finding.ruleId, () => amend(db, new Map([[finding, late]]), nowUs));
  }

  /** The finding an event at this moment belongs to, if one stands. */
  standing(rule: Rule, key: string, atUs: number): FindingRow | undefined {
    return this.known.find(
      rule,
      key,
      (f, windowUs) =>
        atUs >= f.firstUs - windowUs && atUs <= f.lastUs + windowUs && (f.clearedUs === null || atUs <= f.clearedUs),
    );
  }

  async apply(
    db: Queryable,
    reports: readonly EpisodeReport[],
    rules: ReadonlyMap<string, Rule>,
    directory: SenderDirectory,
    nowUs: number,
    guard: Guard,
  ): Promise<void> {
    const taken = new Set<number>();
    const attached = new Map<string, Attached[]>();
    const attach = ({ id, incident }: FindingRow, ruleId: string, evidence: readonly Evidence[]) => {
      if (incident === null || evidence.length === 0) return;
      const ofRule = attached.get(ruleId);
      if (ofRule === undefined) attached.set(ruleId, [{ finding: id, evidence }]);
      else ofRule.push({ finding: id, evidence });
    };
    // as things happened, whichever rules tell of them: what came of an act finds the incident of the act
    for (const report of [...reports].sort((a, b) => a.episode.raisedUs - b.episode.raisedUs)) {
      const rule = rules.get(report.ruleId);
      if (!rule) continue;
      const found = this.match(report, rule, taken);
      if (!found)
        await guard.run(report.ruleId, async () => {
          const raised = await this.raise(db, report, rules, rule, directory, nowUs);
          taken.add(raised.id);
          const { first, added = [], latest } = report.episode;
          const all = new Map([...first, ...added, ...latest].map((e) => [e.id, e]));
          attach(raised, report.ruleId, [...all.values()]);
        });
      else {
        taken.add(found.id);
        const grew = found.clearedUs === report.episode.clearedUs;
        if (grew && nowUs < growthDueUs(found, rule, report.episode, nowUs)) this.deferred.set(found, report);
        else await guard.run(report.ruleId, () => this.update(db, found, report, rule, directory, nowUs));
        attach(found, report.ruleId, report.episode.added ?? []);
      }
    }
    for (const [found, report] of [...this.deferred]) {
      const rule = rules.get(report.ruleId);
      if (rule && nowUs < growthDueUs(found, rule, report.episode, nowUs)) continue;
      if (rule) await guard.run(report.ruleId, () => this.update(db, found, report, rule, directory, nowUs));
      this.deferred.delete(found);
    }
    if (guard.isApart)
      for (const [ruleId, evidence] of attached) await guard.run(ruleId, () => keepEvidence(db, evidence));
    else if (attached.size > 0) await keepEvidence(db, [...attached.values()].flat());
  }

  private match({ key, lane, episode }: EpisodeReport, rule: Rule, taken: ReadonlySet<number>): Known | undefined {
    return this.known.find(
      rule,
      key,
      (f, windowUs) =>
        !taken.has(f.id) &&
        f.lane === lane &&
        episode.firstUs <= f.lastUs + windowUs &&
        episode.lastUs >= f.firstUs - windowUs &&
        !(f.clearedUs !== null && episode.firstUs > f.clearedUs),
    );
  }

  private async update(
    db: Queryable,
    f: Known,
    report: EpisodeReport,
    rule: Rule,
    directory: SenderDirectory,
    nowUs: number,
  ): Promise<void> {
    const { episode: e } = report;
    if (f.count >= e.count && f.lastUs >= e.lastUs && f.firstUs === e.firstUs && f.clearedUs === e.clearedUs) return;
    this.deferred.delete(f);
    f.written = writtenNow(rule, e, nowUs);
    const clearedNow = f.clearedUs === null && e.clearedUs !== null;
    // what came late and was added before stays counted
    const merged: Episode = { ...e, count: Math.max(e.count, f.count) };
    const place = await updateFinding(db, f.id, merged);
    if (e.clearedWith !== undefined) await keepRecords(db, [e.clearedWith]);
    this.evidence.note(f.id, e);
    Object.assign(f, { firstUs: e.firstUs, lastUs: e.lastUs, count: merged.count, clearedUs: e.clearedUs });
    if (place === null) return;
    const grown = { ...report, episode: merged };
    const incident = await keepWithinDay(db, f, place, rule, grown, directory, nowUs);
    f.incident = incident;
    // what has moved brought its records along
    const moved = incident !== place.incident;
    await grow(db, incident, rule, grown, { leads: moved, begins: moved }, directory, nowUs);
    if (clearedNow) await noteCleared(db, incident, merged, directory, nowUs);
  }

  private async raise(
    db: Queryable,
    report: EpisodeReport,
    rules: ReadonlyMap<string, Rule>,
    rule: Rule,
    directory: SenderDirectory,
    nowUs: number,
  ): Promise<FindingRow> {
    const { episode: e, ruleId, key, lane } = report;
    const placed = rule.listenOnly
      ? null
      : await place(
          { db, rules, directory, heard: this.heard, evidence: this.evidence, nowUs, zone: this.zone },
          rule,
          report,
        );
    const incident = placed?.incident ?? null;
    const id = await insertFinding(db, incident, report, e, {
      joined: placed?.joined ?? "",
      links: placed?.links ?? [],
      suspects: suspectsOf(rule, { ...e, key }),
    });
    this.evidence.note(id, e);
    if (e.clearedWith !== undefined) await keepRecords(db, [e.clearedWith]);
    const row: Known = {
      id,
      incident,
      ruleId,
      lane,
      key,
      firstUs: e.firstUs,
      lastUs: e.lastUs,
      count: e.count,
      clearedUs: e.clearedUs,
      sinceUs: nowUs,
      written: writtenNow(rule, e, nowUs),
    };
    this.known.add(row);
    if (placed === null) return row;
    await placed.tell(id);
    const { leads } = placed;
    await grow(db, placed.incident, rule, report, { leads, begins: leads }, directory, nowUs);
    if (e.clearedUs !== null) await noteCleared(db, placed.incident, e, directory, nowUs);
    return row;
  }
}
