import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import type { OwnObservation } from "@halvik/core/normalise";
import type pg from "pg";
import { SEGMENT_MAX_AGE_US } from "../batches.js";
import { closeSegmentsOf, dropSegment } from "../segment-life.js";

/** Clocks of several machines may differ by this; a writer goes by its own. */
const CLOSING_SLACK_US = US_PER_HOUR;

interface Droppable {
  readonly name: string;
  readonly rows: number;
  readonly max_time: number;
}

/** Days that records and flows are kept, where neither sender nor kind says otherwise: from their own time on, or from when they were imported. */
export interface KeepDays {
  readonly records: number;
  readonly flows: number;
}

/** From when on a segment is kept. Evidence of last year, brought in today, is wanted from today on. */
const KEPT_FROM = "greatest(max_time, case kind when 'import' then created_us end)";

/** Drops segments whose newest record is older than is kept: whole tables, so that it takes no longer for more rows. */
export async function dropExpired(client: pg.Client, keep: KeepDays, nowUs: number): Promise<OwnObservation[]> {
  await closeSegmentsOf(client, nowUs - SEGMENT_MAX_AGE_US - CLOSING_SLACK_US);
  const { rows } = await client.query<Droppable>(
    `select name, rows, max_time from segment where state <> 'open' and ${KEPT_FROM} < $1::bigint - $2::bigint * coalesce(keep_days, case shape when 'flow' then $4::int else $3::int end) order by max_time`,
    [nowUs, US_PER_DAY, keep.records, keep.flows],
  );
  const told: OwnObservation[] = [];
  for (const segment of rows) {
    await dropSegment(client, segment.name, nowUs);
    told.push({
      event: "segment-expired",
      severity: 6,
      outcome: "success",
      subject: segment.name,
      text: `${segment.rows} records up to ${new Date(segment.max_time / 1_000).toISOString()} are older than is kept and were dropped.`,
      data: [["records", String(segment.rows)]],
    });
  }
  return told;
}

/**
 * Makes room when the disk is nearly full: the oldest flows first, then the oldest records, one segment at a time; never one that is
 * being written to.
 */
export async function shedOldest(client: pg.Client, freeBytes: number, nowUs: number): Promise<OwnObservation[]> {
  const { rows } = await client.query<Droppable>(
    `select name, rows, max_time from segment where state <> 'open' order by shape = 'record', ${KEPT_FROM} limit 1`,
  );
  const segment = rows[0];
  if (segment === undefined) return [];
  await dropSegment(client, segment.name, nowUs);
  return [
    {
      event: "segment-shed",
      severity: 2,
      outcome: "failure",
      subject: segment.name,
      text: `Only ${(freeBytes / 1e9).toFixed(1)} GB were free: ${segment.rows} records up to ${new Date(segment.max_time / 1_000).toISOString()} were dropped before their time.`,
      data: [["records", String(segment.rows)]],
    },
  ];
}
