import type { IncidentDetail } from "@halvik/contract/incidents";
import { RecordJson } from "@halvik/contract/records";
import type { HalvikRecord, RecordJson as Presented } from "@halvik/core/model/record";
import type { Queryable } from "../../kernel/db/pool.js";
import { type EvidencePlace, keptEvidence, withBytes } from "./evidence-repository.js";
import type { Exhibit } from "./export.js";

const PAGE = 200;

/** All that is kept of what is evidence of a finding, page by page; of one that was made before anything was kept, what it lists. */
export async function* exhibitsOf(
  db: Queryable,
  incident: number,
  finding: IncidentDetail["findings"][number],
  present: (record: HalvikRecord) => Presented,
): AsyncGenerator<Exhibit> {
  if (finding.kept === 0) {
    const listed = [...finding.evidence].reverse().map((r) => r.id);
    yield* exhibits(
      db,
      listed.map((record) => ({ record, step: finding.steps[record] ?? null })),
      present,
    );
    return;
  }
  let after: EvidencePlace | null = null;
  for (;;) {
    const page = await keptEvidence(db, { incident, finding: finding.id }, "oldest first", after, PAGE);
    yield* exhibits(db, page, present);
    if (page.length < PAGE) return;
    after = page[page.length - 1]!;
  }
}

async function* exhibits(
  db: Queryable,
  rows: readonly { readonly record: string; readonly step: number | null }[],
  present: (record: HalvikRecord) => Presented,
): AsyncGenerator<Exhibit> {
  const found = await withBytes(
    db,
    rows.map((r) => r.record),
  );
  for (const { record: id, step } of rows) {
    const there = found.get(id);
    if (there !== undefined) yield { record: RecordJson.parse(present(there.record)), raw: there.raw, step };
  }
}
