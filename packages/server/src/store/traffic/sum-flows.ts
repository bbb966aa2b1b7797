import { US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { type FlowSeen, type Sites, TrafficSums } from "@halvik/core/traffic";
import { type Client, type Queryable, transaction } from "../../kernel/db/pool.js";
import { copyOut } from "../copy-out.js";
import { formatRecordId, LAST_ID } from "../record-id.js";
import { segmentTable } from "../segments.js";
import { COPIED_FLOW_COLUMNS, FLOW_COLUMNS, type FlowRow, flowSeen, laneOf } from "./flow-rows.js";
import type { Breathe } from "./sum-rows.js";
import { addRows, type KeepTraffic, oldestStep, takeOutRows } from "./write-sums.js";

/** Flows that are read at once. */
const ROWS = 5_000;
/** Sums and flows that are gathered before they are written: the more, the fewer rows are touched twice, and the more memory it takes. */
const SUMS_A_WRITE = 500_000;
const FLOWS_A_WRITE = 500_000;

const MOST_COUNTED = 10_000;
/** Flows of a segment after an id, by id. Its one writer commits in that order: what is committed later has greater ids. */
export async function flowsAfter(
  db: Queryable,
  segment: string,
  after: string,
  most: number,
  upTo = LAST_ID,
): Promise<{ readonly flows: FlowSeen[]; readonly lastId: string }> {
  const flows: FlowSeen[] = [];
  let lastId = after;
  await copyOut(db, COPIED_FLOW_COLUMNS, { table: segmentTable(segment), after, upTo, most }, (row) => {
    flows.push(flowSeen(row as unknown as FlowRow));
    lastId = row[0] as string;
  });
  return { flows, lastId };
}

/** Segments with flows that have not been summed, in the order of time: what was told of a conversation comes before what is told of it later. */
async function behind(db: Queryable): Promise<{ name: string; after: string; job: number | null }[]> {
  const { rows } = await db.query<{ name: string; after: string; job: number | null }>(
    `select s.name, s.job, coalesce(p.last_id, 0)::text as after from segment s left join traffic_position p on p.segment = s.name
     where s.shape = 'flow' and s.max_id > coalesce(p.last_id, 0) order by s.min_time, s.name`,
  );
  return rows;
}

/**
 * Sums flows that were stored since it was last called, and says how far it got, in one transaction: each flow is summed once, whatever
 * happens in between.
 * @param sums knows what was told of conversations that go on
 * @returns whether there was more than one call sums
 */
export async function sumFlows(
  client: Client,
  sums: TrafficSums,
  keep: KeepTraffic,
  nowUs: number,
  breathe: Breathe = async () => undefined,
): Promise<boolean> {
  const positions: { segment: string; lastId: string }[] = [];
  let flows = 0;
  let more = false;
  for (const { name, after, job } of await behind(client)) {
    const lane = laneOf(job);
    let lastId = after;
    for (;;) {
      if (flows >= FLOWS_A_WRITE || sums.size >= SUMS_A_WRITE) {
        more = true;
        break;
      }
      const read = await flowsAfter(client, name, lastId, ROWS);
      for (const flow of read.flows) sums.add(flow, lane);
      flows += read.flows.length;
      lastId = read.lastId;
      if (read.flows.length < ROWS) break;
      await breathe();
    }
    if (lastId !== after) positions.push({ segment: name, lastId });
    if (more) break;
  }
  if (positions.length === 0) return false;
  await transaction(client, async () => {
    for (const { level, rows } of sums.take()) {
      // of history what is kept no longer need not be written
      const oldest = oldestStep(level, keep, nowUs);
      await addRows(
        client,
        level,
        rows.filter((r) => r.step >= oldest),
        nowUs,
        breathe,
      );
    }
    await client.query(
      "insert into traffic_position (segment, last_id) select * from unnest($1::text[], $2::bigint[]) on conflict (segment) do update set last_id = excluded.last_id",
      [positions.map((p) => p.segment), positions.map((p) => p.lastId)],
    );
  });
  return more;
}

/** How many flows are stored and not summed yet, of each segment up to so many. @param storedBeforeUs those stored later have still time */
export async function flowsBehind(db: Queryable, storedBeforeUs: number | null = null): Promise<number> {
  const before = storedBeforeUs === null ? LAST_ID : formatRecordId({ us: storedBeforeUs, collector: 0 });
  let flows = 0;
  for (const { name, after } of await behind(db)) {
    const { rows } = await db.query<{ n: number }>(
      `select count(*)::int as n from (select from ${segmentTable(name)} where id > $1::bigint and id <= $3::bigint limit $2) f`,
      [after, MOST_COUNTED, before],
    );
    flows += rows[0]!.n;
  }
  return flows;
}

/** What is not summed so long after it was heard is told: the keeper gathers for up to a minute. */
export const SUMMED_WITHIN_US = 2 * US_PER_MINUTE;

/** Whether sums of a window miss flows that are stored: all of it but what is of this moment. */
export async function missFlows(
  db: Queryable,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  nowUs: number,
): Promise<boolean> {
  const beforeUs = Math.min(toUs, nowUs - SUMMED_WITHIN_US);
  for (const { name, after } of await behind(db)) {
    const { rows } = await db.query<{ any: boolean }>(
      `select exists (select from ${segmentTable(name)} where id > $1::bigint and time >= $2 and time < $3) as any`,
      [after, fromUs, beforeUs],
    );
    if (rows[0]!.any) return true;
  }
  return false;
}

/** Takes out of the sums what the flows of a segment had added, before it is dropped as if it had never been. */
export async function takeOutFlows(db: Queryable, segment: string, sites: Sites, nowUs: number): Promise<void> {
  const { rows } = await db.query<{ last: string }>(
    "select last_id::text as last from traffic_position where segment = $1",
    [segment],
  );
  const last = rows[0]?.last;
  if (last === undefined) return;
  const sums = new TrafficSums(sites);
  for (let after = "0"; ; ) {
    const read = await flowsAfter(db, segment, after, ROWS, last);
    for (const flow of read.flows) sums.add(flow);
    after = read.lastId;
    if (read.flows.length < ROWS) break;
  }
  for (const { level, rows: of } of sums.take()) await takeOutRows(db, level, of, nowUs);
  await db.query("delete from traffic_position where segment = $1", [segment]);
}

/** Flows that may have lasted into a window that lies before they were told of: exporters cut what lasts (common practice, no source). */
export const LONGEST_US = US_PER_HOUR;

/**
 * The flows of a window themselves, by id within each segment: those that ended in it, or after it and began before its end.
 * @returns null where there are more than so many, or some of them are no longer kept
 */
export async function flowsOf(
  db: Queryable,
  fromUs: number,
  toUs: number,
  most: number,
): Promise<{ readonly flow: FlowSeen; readonly lane: string }[] | null> {
  const { rows: kept } = await db.query<{ dropped: boolean }>(
    "select exists (select from dropped_segment where name like 'f%' and max_time >= $1 and min_time < $2) as dropped",
    [fromUs, toUs + LONGEST_US],
  );
  if (kept[0]!.dropped) return null;
  const { rows: segments } = await db.query<{ name: string; job: number | null }>(
    "select name, job from segment where shape = 'flow' and max_time >= $1 and min_time < $2 order by min_time, name",
    [fromUs, toUs + LONGEST_US],
  );
  const flows: { flow: FlowSeen; lane: string }[] = [];
  for (const { name, job } of segments) {
    const { rows } = await db.query<FlowRow>({
      text: `select ${FLOW_COLUMNS} from ${segmentTable(name)} r where r.time >= $1 and r.time < $2 and (r.start is null or r.start < $3 or r.time < $3) order by r.time, r.id limit $4`,
      values: [fromUs, toUs + LONGEST_US, toUs, most - flows.length + 1],
      rowMode: "array",
    });
    for (const row of rows) flows.push({ flow: flowSeen(row), lane: laneOf(job) });
    if (flows.length > most) return null;
  }
  return flows;
}
