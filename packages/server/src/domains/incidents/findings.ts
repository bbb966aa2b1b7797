import { formatDuration, formatUs } from "@halvik/core/base/time";
import {
  type Episode,
  type EpisodeReport,
  entityValues,
  findingTitle,
  type Rule,
  ruleWindowUs,
  severityOf,
  shelvedUntil,
} from "@halvik/core/detect";
import { isEntityCode, readEntity } from "@halvik/core/model/entity";
import type { Severity } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  consequencesOf,
  findJoint,
  type JoinContext,
  newSinceSeen,
  placeFinding,
} from "@halvik/core/respond/incidents";
import type { Queryable } from "../../kernel/db/pool.js";
import { addEvent } from "../../kernel/db/unit-of-work.js";
import {
  amendFinding,
  amendIncident,
  clearIncident,
  type FindingRow,
  growIncident,
  hasOpenFinding,
  incidentOf,
  incidentToGrow,
  insertFinding,
  insertIncident,
  latestIncidentOf,
  loadFindings,
  reopenIncident,
  updateFinding,
} from "./findings-repository.js";
import { hubTest, relationOf } from "./joints.js";
import { busyEntities, joinableIncidents } from "./joints-repository.js";
import { mergeIncidents, shelveIncident } from "./repository.js";

const MAX_FINDINGS = 50_000;
const REWRITE_AFTER_US = 2_000_000;
export const ENGINE = "Halvik";

/** What came late for one finding in one step. */
export interface LateEvidence {
  readonly count: number;
  readonly firstUs: number;
  readonly lastUs: number;
}

/** Runs what a rule's finding needs; where it may, without letting it take the rest of the step along. */
export type Guard = (ruleId: string, work: () => Promise<void>) => Promise<void>;

/** Turns episodes into findings and incidents. An episode that overlaps a finding of its rule and key (± window) is that finding. */
export class Findings {
  private readonly byKey = new Map<string, FindingRow[]>();
  private readonly writtenUs = new Map<number, number>();
  /** Growth of findings not written yet: a storm changes a row every two seconds, not every batch. */
  private deferred = new Map<number, EpisodeReport>();

  /** @param zone whose clock shelving windows go by */
  private constructor(private readonly zone: string) {}

  static async load(db: Queryable, zone: string): Promise<Findings> {
    const findings = new Findings(zone);
    for (const row of await loadFindings(db, MAX_FINDINGS)) findings.remember(row);
    return findings;
  }

  /** Records later than the bound that fall into a standing finding are added to its count (`docs/semantics.md` 20), however many at once. */
  async amend(db: Queryable, finding: FindingRow, late: LateEvidence, nowUs: number): Promise<void> {
    finding.count += late.count;
    finding.firstUs = Math.min(finding.firstUs, late.firstUs);
    finding.lastUs = Math.max(finding.lastUs, late.lastUs);
    await amendFinding(db, finding);
    const incident = await incidentOf(db, finding);
    if (incident === null) return;
    await amendIncident(db, incident, late);
    const said =
      late.count === 1 ? "a record that came late was added" : `${late.count} records that came late were added`;
    await addEvent(db, incident, nowUs, ENGINE, "amended", said);
  }

  /** The finding an event at this moment belongs to, if one stands. */
  standing(rule: Rule, key: string, atUs: number): FindingRow | undefined {
    const windowUs = ruleWindowUs(rule);
    return this.byKey
      .get(keyOf(rule.id, key))
      ?.find(
        (f) =>
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
    for (const report of reports) {
      const rule = rules.get(report.ruleId);
      if (!rule) continue;
      const found = this.match(report, rule, taken);
      if (!found)
        await guard(report.ruleId, async () => {
          taken.add(await this.raise(db, report, rules, rule, directory, nowUs));
        });
      else {
        taken.add(found.id);
        const grew = found.clearedUs === report.episode.clearedUs;
        if (grew && nowUs - (this.writtenUs.get(found.id) ?? 0) < REWRITE_AFTER_US) this.deferred.set(found.id, report);
        else await guard(report.ruleId, () => this.update(db, found, report, rule, directory, nowUs));
      }
    }
    for (const [id, report] of [...this.deferred]) {
      if (nowUs - (this.writtenUs.get(id) ?? 0) < REWRITE_AFTER_US) continue;
      const rule = rules.get(report.ruleId);
      const found = this.byKey.get(keyOf(report.ruleId, report.key))?.find((f) => f.id === id);
      if (rule && found) await guard(report.ruleId, () => this.update(db, found, report, rule, directory, nowUs));
      this.deferred.delete(id);
    }
  }

  private match(
    { ruleId, key, lane, episode }: EpisodeReport,
    rule: Rule,
    taken: ReadonlySet<number>,
  ): FindingRow | undefined {
    const windowUs = ruleWindowUs(rule);
    return this.byKey
      .get(keyOf(ruleId, key))
      ?.find(
        (f) =>
          !taken.has(f.id) &&
          f.lane === lane &&
          episode.firstUs <= f.lastUs + windowUs &&
          episode.lastUs >= f.firstUs - windowUs &&
          !(f.clearedUs !== null && episode.firstUs > f.clearedUs),
      );
  }

  private async update(
    db: Queryable,
    f: FindingRow,
    report: EpisodeReport,
    rule: Rule,
    directory: SenderDirectory,
    nowUs: number,
  ): Promise<void> {
    const { episode: e } = report;
    if (f.count >= e.count && f.lastUs >= e.lastUs && f.firstUs === e.firstUs && f.clearedUs === e.clearedUs) return;
    this.deferred.delete(f.id);
    this.writtenUs.set(f.id, nowUs);
    const clearedNow = f.clearedUs === null && e.clearedUs !== null;
    const added = Math.max(0, e.count - f.count);
    // what came late and was added before stays counted
    const merged: Episode = { ...e, count: Math.max(e.count, f.count) };
    await updateFinding(db, f.id, merged);
    Object.assign(f, { firstUs: e.firstUs, lastUs: e.lastUs, count: merged.count, clearedUs: e.clearedUs });
    const incident = await incidentOf(db, f);
    if (incident === null) return;
    await this.touchIncident(
      db,
      incident,
      rule,
      { ...report, episode: merged },
      { added, leads: false },
      directory,
      nowUs,
    );
    if (clearedNow) await this.tellCleared(db, incident, merged, nowUs);
  }

  private async raise(
    db: Queryable,
    report: EpisodeReport,
    rules: ReadonlyMap<string, Rule>,
    rule: Rule,
    directory: SenderDirectory,
    nowUs: number,
  ): Promise<number> {
    const { episode: e, ruleId, key, lane } = report;
    const { incident, joined, leads } = rule.listenOnly
      ? { incident: null, joined: "", leads: false }
      : await this.place(db, report, rules, rule, directory, nowUs);
    const id = await insertFinding(db, incident, report, e, joined);
    this.writtenUs.set(id, nowUs);
    this.remember({
      id,
      incident,
      ruleId,
      lane,
      key,
      firstUs: e.firstUs,
      lastUs: e.lastUs,
      count: e.count,
      clearedUs: e.clearedUs,
    });
    if (incident === null) return id;
    await this.touchIncident(db, incident, rule, report, { added: e.count, leads }, directory, nowUs);
    if (e.clearedUs !== null) await this.tellCleared(db, incident, e, nowUs);
    return id;
  }

  /** The incident of a new finding: that of its rule and key, one it belongs to, or one of its own. */
  private async place(
    db: Queryable,
    report: EpisodeReport,
    rules: ReadonlyMap<string, Rule>,
    rule: Rule,
    directory: SenderDirectory,
    nowUs: number,
  ): Promise<{ incident: number; joined: string; leads: boolean }> {
    const { episode: e, ruleId, key } = report;
    const earlier = await latestIncidentOf(db, ruleId, key);
    const placement = placeFinding(earlier, e.firstUs);
    if (placement.to === "existing") {
      if (placement.returned) await this.reopen(db, placement.incident, e, earlier?.endedUs ?? null, nowUs);
      return { incident: placement.incident, joined: "", leads: false };
    }
    const context: JoinContext = {
      isHub: hubTest(await busyEntities(db, nowUs)),
      explainedBy: (id) => rules.get(id)?.explainedBy ?? [],
      relation: (cause, consequence) => relationOf(directory, cause, consequence),
      say: (field, value) => (field === "sender" ? directory.name(Number(value)) : value),
    };
    const finding = { ...e, rule: ruleId, aboutSender: rule.key.includes("sender") };
    const incidents = await joinableIncidents(db, e.firstUs, e.lastUs);
    const joint = findJoint(finding, incidents, context);
    if (joint === null)
      return {
        incident: await this.openIncident(db, rule, report, placement.linkedTo, directory, nowUs),
        joined: "",
        leads: true,
      };
    await addEvent(db, joint.incident, nowUs, ENGINE, "joined", `“${rule.name}”: ${joint.reason}`);
    // a cause that comes after its consequences takes all of them in, not only the nearest
    for (const other of consequencesOf(finding, incidents, context)) {
      if (other.incident === joint.incident) continue;
      await mergeIncidents(db, other.incident, joint.incident, other.reason);
      await addEvent(db, joint.incident, nowUs, ENGINE, "took-in", `incident ${other.incident}: ${other.reason}`);
    }
    return { incident: joint.incident, joined: joint.reason, leads: joint.strength === "explains" };
  }

  private async reopen(
    db: Queryable,
    incident: number,
    e: Episode,
    endedUs: number | null,
    nowUs: number,
  ): Promise<void> {
    await reopenIncident(db, incident);
    const after = endedUs === null ? "a while" : formatDuration(Math.max(0, e.firstUs - endedUs));
    await addEvent(
      db,
      incident,
      nowUs,
      ENGINE,
      "returned",
      `${e.count === 1 ? "one record" : `${e.count} records, the first`} after ${after}`,
    );
  }

  private async openIncident(
    db: Queryable,
    rule: Rule,
    { episode: e, key }: EpisodeReport,
    linkedTo: number | null,
    directory: SenderDirectory,
    nowUs: number,
  ): Promise<number> {
    const id = await insertIncident(db, {
      title: findingTitle(rule, { ...e, key }, directory),
      severity: severityOf(rule, e),
      ruleId: rule.id,
      key,
      episode: e,
      linkedTo,
    });
    await addEvent(
      db,
      id,
      nowUs,
      ENGINE,
      "raised",
      `${e.count === 1 ? "one record" : `${e.count} records in ${formatDuration(e.lastUs - e.firstUs)}`} met “${rule.name}”`,
    );
    const shelf = shelvedUntil(rule.shelve, e.raisedUs, this.zone);
    if (shelf !== null) {
      await shelveIncident(db, id, shelf.untilUs, `the rule “${rule.name}”`, shelf.why);
      await addEvent(db, id, nowUs, ENGINE, "shelved", `until ${formatUs(shelf.untilUs)}: ${shelf.why}`);
    }
    return id;
  }

  private async touchIncident(
    db: Queryable,
    id: number,
    rule: Rule,
    { episode: e, key }: EpisodeReport,
    change: { readonly added: number; readonly leads: boolean },
    directory: SenderDirectory,
    nowUs: number,
  ): Promise<void> {
    const row = await incidentToGrow(db, id, rule.id);
    if (!row) return;
    const entities = [...new Set([...row.entities, ...e.entities])].slice(0, 50);
    const severity = severityOf(rule, e);
    // what is worst gives the incident its name
    const leads = change.leads || rule.id === row.ruleId || severity < row.severity;
    const fresh =
      row.seen === null ? [] : newSinceSeen(row.seen, Math.min(severity, row.severity) as Severity, entities);
    await growIncident(db, id, {
      added: change.added,
      episode: e,
      entities,
      title: leads
        ? findingTitle(
            rule,
            { ...e, key, count: row.ofRule, entities: rule.id === row.ruleId ? entities : e.entities },
            directory,
          )
        : row.title,
      newSinceSeen: fresh,
      severity,
      ruleId: leads ? rule.id : row.ruleId,
      key,
    });
    if (fresh.length > row.newSinceSeen.length) {
      const names = fresh
        .filter((f) => !row.newSinceSeen.includes(f))
        .flatMap((f) => (isEntityCode(f) ? entityValues(readEntity(f).field, [f], directory) : [f]));
      await addEvent(db, id, nowUs, ENGINE, "new-since-seen", names.join(", "));
    }
  }

  private async tellCleared(db: Queryable, id: number, e: Episode, nowUs: number): Promise<void> {
    if (e.clearedBy === "hand" || (await hasOpenFinding(db, id))) return;
    if (await clearIncident(db, id, e.clearedUs!))
      await addEvent(
        db,
        id,
        nowUs,
        ENGINE,
        "cleared",
        e.clearedBy === "quiet"
          ? `stopped, not judged: quiet for ${formatDuration(e.clearedUs! - e.lastUs)}`
          : e.clearedBy === "condition"
            ? "the value is ordinary again"
            : "a clearing record came",
      );
  }

  private remember(row: FindingRow): void {
    const key = keyOf(row.ruleId, row.key);
    const list = this.byKey.get(key);
    if (list) list.push(row);
    else this.byKey.set(key, [row]);
  }
}

const keyOf = (ruleId: string, key: string): string => `${ruleId} ${key}`;
