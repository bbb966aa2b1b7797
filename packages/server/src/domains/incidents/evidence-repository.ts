import { type Evidence, MOST_KEPT } from "@halvik/core/detect";
import { type HalvikRecord, keepRecord, readKept } from "@halvik/core/model/record";
import { isOwnFault } from "../../kernel/db/failure.js";
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
  const { incidentOf, kept } = await heldIncidents(
    db,
    attached.map((a) => a.finding),
  );
  const { rows, added } = await withinRoom(db, attached, incidentOf, kept);
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
    `update incident i set kept = i.kept + a.n, count = ${countOfIncident("i.id", "i.kept + a.n")} from unnest($1::int[], $2::int[]) a (id, n) where i.id = a.id`,
    [[...added.keys()], [...added.values()]],
  );
}

/** SQL for the records of an incident: those that are kept, each once, and of each finding those that are not. @param incident SQL for its number @param kept SQL for how many are kept */
export const countOfIncident = (incident: string, kept: string): string => `(
  ${kept} + (select coalesce(sum(greatest(0, c.count - c.kept)), 0) from finding c where c.incident = ${incident} and c.merged_into is null)
)::bigint`;

/** SQL for how many records are kept of an incident, counted anew: for whoever moves findings. @param incident SQL for its number */
export const keptOfIncident = (incident: string): string =>
  `(select count(distinct e.record)::int from finding c join evidence e on e.finding = c.id where c.incident = ${incident} and c.merged_into is null)`;

/** Holds incidents until the transaction ends: whoever moves findings or counts evidence does so first. @returns how many records are kept of each */
export async function holdIncidents(db: Queryable, ids: readonly number[]): Promise<Map<number, number>> {
  const { rows } = await db.query<{ id: number; kept: number }>(
    "select id, kept from incident where id = any($1::int[]) order by id for update",
    [ids],
  );
  return new Map(rows.map((r) => [r.id, r.kept]));
}

/** The incidents that findings lie in now, held: people merge and split. */
export async function heldIncidents(db: Queryable, findings: readonly number[]) {
  const kept = new Map<number, number>();
  for (;;) {
    const { rows } = await db.query<{ finding: number; incident: number }>(
      "select id as finding, incident from finding where id = any($1::int[]) and incident is not null",
      [findings],
    );
    const fresh = new Set(rows.map((r) => r.incident).filter((id) => !kept.has(id)));
    if (fresh.size === 0) return { incidentOf: new Map(rows.map((r) => [r.finding, r.incident])), kept };
    // while they were waited for, findings may have been moved
    for (const [id, records] of await holdIncidents(db, [...fresh])) kept.set(id, records);
  }
}

/** What there is room for, and how many records come to be kept of each incident. */
async function withinRoom(
  db: Queryable,
  attached: readonly Attached[],
  incidentOf: ReadonlyMap<number, number>,
  kept: ReadonlyMap<number, number>,
) {
  const incidents = [...kept.keys()];
  const { rows: there } = await db.query<{ incident: number; record: string }>(
    `select f.incident, e.record::text as record from evidence e join finding f on f.id = e.finding
     where e.record = any($1::bigint[]) and f.incident = any($2::int[])`,
    [attached.flatMap((a) => a.evidence.map((e) => e.id)), incidents],
  );
  const records = new Map(incidents.map((id) => [id, new Set<string>()]));
  for (const { incident, record } of there) records.get(incident)!.add(record);
  const added = new Map(incidents.map((id) => [id, 0]));
  const rows = attached.flatMap(({ finding, evidence }) => {
    const incident = incidentOf.get(finding);
    if (incident === undefined) return [];
    const own = records.get(incident)!;
    return evidence.flatMap((e) => {
      // what several findings hold is kept once
      if (!own.has(e.id)) {
        const n = added.get(incident)!;
        if (kept.get(incident)! + n >= MOST_KEPT) return [];
        added.set(incident, n + 1);
        own.add(e.id);
      }
      return [{ finding, ...e }];
    });
  });
  return { rows, added };
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
    await savepoint(db, () => copyRecords(db, part), isOwnFault);
  }
}

/** Stands between records: as JSON none has it, where an array of texts would have every quote of them escaped, and read back. */
const BETWEEN = "\x1e";

async function copyRecords(db: Queryable, ids: readonly string[]): Promise<void> {
  const records = await findRecords(db, ids);
  const raw = await keptRawBytes(db, ids);
  await db.query(
    "insert into kept_record (id, record, raw) select * from unnest($1::bigint[], string_to_array($2, $4), $3::bytea[]) on conflict do nothing",
    [
      records.map((r) => r.id),
      records.map(keepRecord).join(BETWEEN),
      records.map((r) => raw.get(r.id) ?? null),
      BETWEEN,
    ],
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
