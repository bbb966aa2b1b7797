import type { Evidence } from "@halvik/core/detect";
import type { Queryable } from "../../kernel/db/pool.js";
import { heldIncidents, keepEvidence } from "./evidence-repository.js";
import { amendFindings, amendIncidents, type FindingRow, type LateGrowth } from "./findings-repository.js";
import { NOTED_APART_US, noteLate } from "./note-late.js";

/** What came late for one finding in one step. */
export interface LateEvidence {
  readonly count: number;
  readonly firstUs: number;
  readonly lastUs: number;
  readonly evidence: Evidence[];
}

/**
 * Records later than the bound that fall into standing findings are added to their counts (`docs/semantics.md` 20): all of a step together, since
 * in a flood of them, as from a relay that was cut off for hours, each of hundreds of findings would cost a dozen statements at every step.
 */
export async function amend(
  db: Queryable,
  amended: ReadonlyMap<FindingRow, LateEvidence>,
  nowUs: number,
): Promise<void> {
  if (amended.size === 0) return;
  // held first, as by all who count evidence or move findings
  const { incidentOf } = await heldIncidents(
    db,
    [...amended.keys()].map((f) => f.id),
  );
  const grown = [...amended].map(([finding, late]) => ({ finding, late, extent: withLate(finding, late) }));
  await amendFindings(
    db,
    grown.map(({ finding, extent }) => ({ id: finding.id, ...extent })),
  );
  const incidents = new Map<number, LateGrowth>();
  for (const { finding, late } of grown) {
    const id = incidentOf.get(finding.id);
    if (id !== undefined) incidents.set(id, together({ id, ...late }, incidents.get(id)));
  }
  const due = await amendIncidents(db, [...incidents.values()], nowUs, NOTED_APART_US);
  await keepEvidence(
    db,
    grown.map(({ finding, late }) => ({ finding: finding.id, evidence: late.evidence })),
  );
  for (const { id, records } of due) await noteLate(db, id, records, nowUs);
  for (const { finding, extent } of grown) Object.assign(finding, extent);
}

const withLate = (f: FindingRow, late: LateEvidence) => ({
  count: f.count + late.count,
  firstUs: Math.min(f.firstUs, late.firstUs),
  lastUs: Math.max(f.lastUs, late.lastUs),
});

const together = ({ id, count, firstUs, lastUs }: LateGrowth, before: LateGrowth | undefined): LateGrowth => ({
  id,
  count: count + (before?.count ?? 0),
  firstUs: Math.min(firstUs, before?.firstUs ?? firstUs),
  lastUs: Math.max(lastUs, before?.lastUs ?? lastUs),
});
