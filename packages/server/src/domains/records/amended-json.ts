import type { RecordDetail } from "@halvik/contract/records";
import { formatUs } from "@halvik/core/base/time";
import { FIELDS, type HalvikRecord } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../kernel/db/pool.js";
import { amendedRecord, asItWas } from "../../store/amend-records.js";

/** What a format made of a record after it was stored, and what it said before where that differs; null: it is as it arrived. */
export async function amendedJson(
  db: Queryable,
  record: HalvikRecord,
  senders: SenderDirectory,
): Promise<NonNullable<RecordDetail["amended"]> | null> {
  const found = await amendedRecord(db, record.id);
  if (found === null) return null;
  const was = asItWas(record, found.before);
  const { applications } = senders;
  const told = FIELDS.map((f) => ({
    field: f.name as string,
    values: f.get(was, applications).map(String),
    now: f.get(record, applications).map(String),
  }));
  return {
    format: found.format,
    version: found.version,
    at: formatUs(found.atUs),
    before: told.filter((t) => String(t.values) !== String(t.now)).map(({ field, values }) => ({ field, values })),
  };
}
