import type { Trace, TraceStep } from "@halvik/contract/trace";
import { formatUs, US_PER_MS } from "@halvik/core/base/time";
import type { RuleConcerns } from "@halvik/core/detect";
import { type HalvikRecord, type RecordJson, SEVERITIES } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";
import { findingsWithRecord } from "../incidents/repository.js";
import type { Presenter } from "../names/presenter.js";
import { toldOf, whereabouts } from "./repository.js";

/** A trace with its record as it is shown. */
export type Traced = Omit<Trace, "record"> & { readonly record: RecordJson | null };

interface Needs {
  readonly db: Queryable;
  readonly directory: SenderDirectory;
  readonly presenter: Presenter;
  readonly rules: RuleConcerns;
}

/** Ids begin with the moment of storage. */
const storedUsOf = (id: string): number => Number(BigInt(id) >> 10n);

/** Where a stored record has been: each step with its moment, and what it came to with the rules as they are now. */
export async function traceRecord(
  { db, directory, presenter, rules: concerns }: Needs,
  record: HalvikRecord,
  segment: string,
  nowUs: number,
): Promise<Traced> {
  const at = await whereabouts(db, record.id, segment);
  const findings = await findingsWithRecord(db, record);
  const rules = concerns.of(record, nowUs);
  const incidents = [...new Map(findings.map((f) => [f.incident, { id: f.incident, title: f.title }])).values()];
  const storedUs = at?.committedUs ?? storedUsOf(record.id);
  const steps = new Steps();
  steps.add("received", "done", sayReceived(record), record.receivedUs);
  steps.add("decoded", "done", sayDecoded(record), null);
  steps.add("sender", "done", saySender(record, directory), null);
  const format = record.data.find(([name]) => name === "format")?.[1];
  steps.add("format", "done", format === undefined ? "no format of your own read it" : `“${format}” read it`, null);
  steps.add("arrival rules", "done", sayMarks(record), null);
  steps.add("stored", "done", sayStored(at?.keepDays ?? null, at?.runRules ?? null), storedUs);
  steps.add(
    "index",
    at?.indexed === false ? "waits" : "done",
    at?.indexed === false
      ? "its terms are not made yet; it is found all the same, by reading"
      : "found by its terms, without reading others",
    null,
  );
  if (at?.runRules === false) steps.add("rules", "ends", "it was brought in without running rules", null);
  else if (at?.engineRead === false) steps.add("rules", "waits", "the engine has not read it yet", null);
  else steps.add("rules", "done", sayRules(rules), null);
  for (const f of findings)
    steps.add(
      "incident",
      "done",
      `raised as evidence of “${f.title}”`,
      f.raisedUs >= record.receivedUs ? f.raisedUs : null,
    );
  if (findings.length === 0) steps.add("incident", "ends", "it is evidence of no incident", null);
  else {
    const told = await toldOf(
      db,
      incidents.map((i) => i.id),
      storedUs,
    );
    for (const t of told)
      steps.add(
        "told",
        t.state === "waiting" ? "waits" : "done",
        `${t.route}: ${t.state}${t.why === "" ? "" : `, ${t.why}`}`,
        t.endedUs ?? t.madeUs,
      );
    if (told.length === 0)
      steps.add("told", "ends", "nobody was notified since: no notification is for it, or it was sent before", null);
  }
  return {
    steps: steps.all,
    record: (await presenter.present(directory))(record),
    records: 1,
    rules: rules.map((r) => ({ ...r, raises: findings.some((f) => f.rule === r.rule) })),
    incidents,
  };
}

/** Steps with the time since the one before that has a moment. */
class Steps {
  readonly all: TraceStep[] = [];
  private lastUs: number | null = null;

  add(step: TraceStep["step"], state: TraceStep["state"], says: string, atUs: number | null): void {
    const tookMs = atUs === null || this.lastUs === null ? null : Math.max(0, (atUs - this.lastUs) / US_PER_MS);
    if (atUs !== null) this.lastUs = atUs;
    this.all.push({ step, state, says, at: atUs === null ? null : formatUs(atUs), tookMs });
  }
}

const sayReceived = ({ endpoint, deviceTime, timeReason }: HalvikRecord): string =>
  `by ${endpoint}; ${deviceTime === null ? "the device said no time" : `the device said ${deviceTime}`}; ordered by ${timeReason}`;

export function sayDecoded({ kind, severity, originalSeverity, category, data, problem }: HalvikRecord): string {
  const came = originalSeverity === null ? "" : ` (it said ${originalSeverity})`;
  const said = `${kind}, ${SEVERITIES[severity]}${came}, about ${category}, ${data.length} named ${data.length === 1 ? "value" : "values"}`;
  return problem === null ? said : `${said}; not in full: ${problem.message}`;
}

function saySender({ sender, copyOf }: HalvikRecord, directory: SenderDirectory): string {
  const facts = directory.get(sender);
  const via = facts?.viaRelay == null ? "" : `, behind ${directory.name(facts.viaRelay)}`;
  return `${directory.name(sender)}${via}${copyOf === null ? "" : "; a copy of one that came by another way"}`;
}

function sayMarks({ marks, data }: HalvikRecord): string {
  const tags = data.flatMap(([name, value]) => (name === "tag" ? [value] : []));
  const said = [
    ...(tags.length === 0 ? [] : [`tagged ${tags.map((t) => `“${t}”`).join(", ")}`]),
    ...(marks.includes("expected") ? ["marked as expected"] : []),
    ...(marks.includes("imported") ? ["from a file, which is stored whole"] : []),
  ];
  return said.length === 0 ? "kept as it came" : `kept, ${said.join(", ")}`;
}

const sayStored = (keepDays: number | null, runRules: boolean | null): string =>
  `kept ${keepDays === null ? "as long as others of its kind" : `for ${keepDays === 1 ? "one day" : `${keepDays} days`}`}${runRules === false ? ", without rules" : ""}`;

export function sayRules(rules: readonly { readonly verdict: string }[]): string {
  const count = (verdict: string) => rules.filter((r) => r.verdict === verdict).length;
  return `${count("met")} of ${rules.length} rules look for it, ${count("near")} nearly${count("clears") > 0 ? `, ${count("clears")} end with it` : ""}`;
}
