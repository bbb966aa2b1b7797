import { type Evidence, MOST_KEPT } from "@halvik/core/detect";
import { type HalvikRecord, keepRecord, readKept } from "@halvik/core/model/record";
import { failureOf } from "../../kernel/db/failure.js";
import { type Queryable, savepoint } from "../../kernel/db/pool.js";
import { findRecords, keptRawBytes } from "../../store/find-records.js";

/** Records that are read and written at once: some are long. */
const AT_ONCE = 500;

/** What has come to be evidence of a finding. */
export interface Attached {
  readonly finding: number;
  readonly evidence: readonly Evidence[];
}

/**
 * Keeps records with the findings they are evidence of, up to MOST_KEPT an incident: their days may end before it is judged. What is kept
 * already stays as it is; a record that is gone is evidence by name alone.
 */
export async function keepEvidence(db: Queryable, attached: readonly Attached[]): Promise<void> {
  const { rows, incidents } = await withinRoom(db, attached);
  if (rows.length === 0) return;
  await db.query(
    `with added as (
       insert into evidence (finding, record, time_us, step)
       select * from unnest($1::int[], $2::bigint[], $3::bigint[], $4::smallint[]) on conflict do nothing returning finding
     )
     update finding f set kept = f.kept + a.n from (select finding, count(*)::int as n from added group by 1) a where f.id = a.finding`,
    [rows.map((r) => r.finding), rows.map((r) => r.id), rows.map((r) => r.timeUs), rows.map((r) => r.step ?? null)],
  );
  await keepRecords(
    db,
    rows.map((r) => r.id),
  );
  await db.query(
    `update incident i set count = ${countOfIncident("i.id")} from unnest($1::int[]) u (id) where i.id = u.id`,
    [incidents],
  );
}

/** SQL for the records of an incident: those that are kept, each once, and of each finding those that are not. @param incident SQL for its number */
export const countOfIncident = (incident: string): string => `(
  (select count(distinct e.record) from finding c join evidence e on e.finding = c.id where c.incident = ${incident} and c.merged_into is null)
  + (select coalesce(sum(greatest(0, c.count - c.kept)), 0) from finding c where c.incident = ${incident} and c.merged_into is null)
)::bigint`;

/** What there is room for, and the incidents the findings lie in now: people merge and split. */
async function withinRoom(db: Queryable, attached: readonly Attached[]) {
  const { rows: lie } = await db.query<{ finding: number; incident: number }>(
    "select id as finding, incident from finding where id = any($1::int[]) and incident is not null",
    [attached.map((a) => a.finding)],
  );
  const incidentOf = new Map(lie.map((l) => [l.finding, l.incident]));
  const incidents = [...new Set(incidentOf.values())];
  const { rows: full } = await db.query<{ incident: number; kept: number }>(
    "select f.incident, count(distinct e.record)::int as kept from finding f join evidence e on e.finding = f.id where f.incident = any($1::int[]) group by 1",
    [incidents],
  );
  const room = new Map(full.map((r) => [r.incident, MOST_KEPT - r.kept]));
  const taken = new Map(incidents.map((id) => [id, new Set<string>()]));
  const rows = attached.flatMap(({ finding, evidence }) => {
    const incident = incidentOf.get(finding);
    if (incident === undefined) return [];
    const records = taken.get(incident)!;
    const left = room.get(incident) ?? MOST_KEPT;
    // what several findings hold is kept once
    return evidence.flatMap((e) => {
      if (!records.has(e.id) && records.size >= left) return [];
      records.add(e.id);
      return [{ finding, ...e }];
    });
  });
  return { rows, incidents };
}

/** Keeps these records as they are stored now, with their bytes. */
export async function keepRecords(db: Queryable, ids: readonly string[]): Promise<void> {
  const { rows } = await db.query<{ id: string }>(
    "select u.id::text as id from (select distinct unnest($1::bigint[]) as id) u where not exists (select from kept_record k where k.id = u.id)",
    [ids],
  );
  for (let i = 0; i < rows.length; i += AT_ONCE) {
    const part = rows.slice(i, i + AT_ONCE).map((r) => r.id);
    // a day that is dropped just now takes its records along, and nothing else
    await savepoint(
      db,
      () => copyRecords(db, part),
      (e) => failureOf(e) !== "outage",
    );
  }
}

async function copyRecords(db: Queryable, ids: readonly string[]): Promise<void> {
  const records = await findRecords(db, ids);
  const raw = await keptRawBytes(db, ids);
  await db.query(
    "insert into kept_record (id, record, raw) select * from unnest($1::bigint[], $2::text[], $3::bytea[]) on conflict do nothing",
    [records.map((r) => r.id), records.map(keepRecord), records.map((r) => raw.get(r.id) ?? null)],
  );
}

/** A record with the bytes it came as. */
export interface RecordWithBytes {
  readonly record: HalvikRecord;
  readonly raw: Buffer;
}

/** Records that are kept with evidence, by id, with the bytes they came as. */
export async function keptRecords(db: Queryable, ids: readonly string[]): Promise<Map<string, RecordWithBytes>> {
  const { rows } = await db.query<{ id: string; record: string; raw: Buffer | null }>(
    "select id::text as id, record, raw from kept_record where id = any($1::bigint[])",
    [ids],
  );
  return new Map(
    rows.map(({ id, record: text, raw }) => {
      const record = readKept(text);
      return [id, { record, raw: raw ?? bytesOf(record) }];
    }),
  );
}

const bytesOf = ({ head, text, tail }: HalvikRecord): Buffer => Buffer.from(head + text + tail, "utf8");

/** Records by id as they are stored, or as they are kept where they are stored no more. */
export async function storedOrKept(db: Queryable, ids: readonly string[]): Promise<Map<string, HalvikRecord>> {
  const found = new Map((await findRecords(db, ids)).map((r) => [r.id, r]));
  const missing = ids.filter((id) => !found.has(id));
  if (missing.length > 0) for (const [id, { record }] of await keptRecords(db, missing)) found.set(id, record);
  return found;
}

/** Records by id with the bytes they came as: as they are kept, or as they are stored; what is neither is left out. */
export async function withBytes(db: Queryable, ids: readonly string[]): Promise<Map<string, RecordWithBytes>> {
  const found = await keptRecords(db, ids);
  const missing = ids.filter((id) => !found.has(id));
  if (missing.length === 0) return found;
  const raw = await keptRawBytes(db, missing);
  for (const record of await findRecords(db, missing))
    found.set(record.id, { record, raw: raw.get(record.id) ?? bytesOf(record) });
  return found;
}

/** Where a page of evidence goes on. */
export interface EvidencePlace {
  readonly timeUs: number;
  readonly record: string;
}

interface EvidenceRow extends EvidencePlace {
  readonly step: number | null;
}

/** Of what evidence is asked: all of an incident, or of a finding, of a rule, of a step. */
export interface EvidenceScope {
  readonly incident: number;
  readonly finding?: number | undefined;
  readonly rule?: string | undefined;
  readonly step?: number | undefined;
}

/** What is kept as evidence, each record once. @param after what comes after this place in that order */
export async function keptEvidence(
  db: Queryable,
  { incident, finding, rule, step }: EvidenceScope,
  order: "oldest first" | "newest first",
  after: EvidencePlace | null,
  most: number,
): Promise<EvidenceRow[]> {
  const [beyond, way] = order === "oldest first" ? [">", "asc"] : ["<", "desc"];
  const { rows } = await db.query<EvidenceRow>(
    `select e.time_us as "timeUs", e.record::text as record, min(e.step) as step from finding f join evidence e on e.finding = f.id
     where f.incident = $1 and f.merged_into is null and ($2::int is null or f.id = $2) and ($3::text is null or f.rule_id = $3)
       and ($4::int is null or e.step = $4) and ($5::bigint is null or (e.time_us, e.record) ${beyond} ($5, $6::bigint))
     group by e.time_us, e.record order by e.time_us ${way}, e.record ${way} limit $7`,
    [incident, finding ?? null, rule ?? null, step ?? null, after?.timeUs ?? null, after?.record ?? null, most],
  );
  return rows;
}
