import { PartBuilder } from "@halvik/core/query/terms";
import type pg from "pg";
import { transaction } from "../../kernel/db/pool.js";
import { COLLECTOR_BITS } from "../record-id.js";
import { rowsBetween } from "../record-rows.js";
import { sealSegment } from "../segment-life.js";
import { ShapesSeen } from "../shapes-seen.js";
import { ValuesSeen } from "../sightings.js";
import { writePart } from "../term-index.js";

/** Rows of a part: enough that terms are worth sorting, few enough that what is not indexed yet is soon gone through. */
export const PART_ROWS = 131_072;
const READ_AT_ONCE = 4_096;

interface Unindexed {
  readonly name: string;
  readonly collector: number;
  readonly state: "open" | "closed";
  readonly left: number;
  readonly indexed_id: string | null;
}

/**
 * Indexes the next part of a segment that has enough rows for one, or seals one that is indexed throughout.
 * @param breathe called now and then while a part is made, outside of any transaction
 * @returns whether there was anything to do
 */
export async function indexNext(
  client: pg.Client,
  partRows = PART_ROWS,
  breathe: () => Promise<void> = async () => undefined,
): Promise<boolean> {
  const { rows } = await client.query<Unindexed>(
    `select name, collector, state, rows - indexed_rows as left, indexed_id::text from segment
     where (state = 'open' and rows - indexed_rows >= $1) or state = 'closed' order by state = 'closed', created_us, name limit 1`,
    [partRows],
  );
  const segment = rows[0];
  if (segment === undefined) return false;
  if (segment.left > 0) await indexPart(client, segment, partRows, breathe);
  else await sealSegment(client, segment.name);
  return true;
}

async function indexPart(
  client: pg.Client,
  segment: Unindexed,
  partRows: number,
  breathe: () => Promise<void>,
): Promise<void> {
  const builder = new PartBuilder();
  const shapes = new ShapesSeen();
  const values = new ValuesSeen();
  let first: string | null = null;
  let last = segment.indexed_id ?? "0";
  while (builder.rows < partRows) {
    const most = Math.min(READ_AT_ONCE, partRows - builder.rows);
    const records = await rowsBetween(client, segment.name, { after: last, most });
    if (records.length === 0) break;
    for (const record of records) {
      builder.add(record, { timeUs: record.timeUs, storedUs: Number(BigInt(record.id) >> COLLECTOR_BITS) });
      shapes.add(record);
      values.add(record);
      first ??= record.id;
      last = record.id;
    }
    await breathe();
  }
  if (first === null) throw new Error(`segment ${segment.name} holds fewer rows than its catalogue says`);
  const part = builder.finish();
  const ids = { first, last };
  await transaction(client, async () => {
    await writePart(client, segment, part, ids);
    await shapes.write(client);
    await values.write(client);
  });
}
