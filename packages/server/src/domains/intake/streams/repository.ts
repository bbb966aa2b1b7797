import type { FlowWaiting, SavedDomain, SavedUses } from "@halvik/core/decode/flow";
import type { Queryable } from "../../../kernel/db/pool.js";

/** What a stream of flows has said about its data, as it was last kept. */
export interface KnownStream {
  readonly key: string;
  readonly saved: SavedDomain;
  readonly uses: SavedUses;
}

/** Streams that were told of last, the latest first. */
export async function knownStreams(db: Queryable, most: number): Promise<KnownStream[]> {
  const { rows } = await db.query<KnownStream>(
    "select key, saved, uses from flow_domain order by changed_us desc, key limit $1",
    [most],
  );
  return rows;
}

/** What collectors hold for templates that have not come. */
export async function flowsWaiting(db: Queryable): Promise<FlowWaiting[]> {
  const { rows } = await db.query<{ waiting: FlowWaiting[] | null }>(
    "select detail->'waiting' as waiting from role_status where role = 'collector' and not (detail ? 'stopped')",
  );
  return rows.flatMap((r) => r.waiting ?? []);
}
