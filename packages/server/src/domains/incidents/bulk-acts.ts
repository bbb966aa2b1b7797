import type { BulkAct } from "@halvik/contract";
import type { Queryable } from "../../kernel/db/pool.js";
import { acknowledge, assignIncident, closeIncident, shelveIncident } from "./repository.js";

/** How long the rules are not told of a closing of several: as long it can be taken back. */
export const CLOSE_GRACE_US = 20_000_000;

/** What acts change of an incident. */
const CHANGED =
  "acknowledged_by, acknowledged_us, seen, new_since_seen, owner, shelved_until_us, shelved_by, shelved_why, state, close_reason, ended_us";

export interface BulkResult {
  readonly changed: number[];
  readonly refused: { readonly id: number; readonly why: string }[];
  readonly undo: number | null;
}

interface Before {
  readonly id: number;
  readonly [column: string]: unknown;
}

/** Does the same to several incidents, and keeps what they were before. @param untilUs of a shelving */
export async function actOnMany(
  client: Queryable,
  { ids, act }: BulkAct,
  untilUs: number | null,
  who: string,
  nowUs: number,
): Promise<BulkResult> {
  const { rows } = await client.query<Before>(
    `select id, merged_into, ${CHANGED} from incident where id = any($1::int[]) order by id for update`,
    [ids],
  );
  const known = new Map(rows.map((r) => [r.id, r]));
  const changed: Before[] = [];
  const refused: { id: number; why: string }[] = [];
  for (const id of new Set(ids)) {
    const before = known.get(id);
    if (!before || before.merged_into !== null) refused.push({ id, why: before ? "it was merged" : "there is none" });
    else if (await change(client, id, act, untilUs, who, nowUs)) changed.push(before);
    else refused.push({ id, why: "it is closed already" });
  }
  if (changed.length === 0) return { changed: [], refused, undo: null };
  const made = await client.query<{ id: number }>(
    "insert into bulk_act (at_us, who, act, before) values ($1, $2, $3, $4) returning id",
    [nowUs, who, JSON.stringify({ ...act, untilUs }), JSON.stringify(changed)],
  );
  return { changed: changed.map((c) => c.id), refused, undo: made.rows[0]!.id };
}

function change(
  client: Queryable,
  id: number,
  act: BulkAct["act"],
  untilUs: number | null,
  who: string,
  nowUs: number,
): Promise<boolean> {
  switch (act.what) {
    case "acknowledge":
      return acknowledge(client, id, who, nowUs);
    case "assign":
      return assignIncident(client, id, act.to || null);
    case "shelve":
      return shelveIncident(client, id, untilUs, who, act.why);
    case "close":
      return closeIncident(client, id, act.reason, nowUs, nowUs + CLOSE_GRACE_US);
  }
}

interface KeptAct {
  at_us: number;
  who: string;
  act: BulkAct["act"] & { untilUs: number | null };
  before: Before[];
}

/**
 * Takes an act back, where nobody has done something else since. A closing can be taken back until the rules are told of it.
 * @returns null when there is no such act, or it was taken back before
 */
export async function undoAct(client: Queryable, undo: number): Promise<{ kept: KeptAct; result: BulkResult } | null> {
  const { rows } = await client.query<KeptAct>(
    "update bulk_act set undone = true where id = $1 and not undone returning at_us, who, act, before",
    [undo],
  );
  const kept = rows[0];
  if (!kept) return null;
  const changed: number[] = [];
  const refused: { id: number; why: string }[] = [];
  for (const before of kept.before) {
    const why = await restore(client, kept, before);
    if (why === null) changed.push(before.id);
    else refused.push({ id: before.id, why });
  }
  return { kept, result: { changed, refused, undo: null } };
}

/** @returns null when it is as it was before; or in words why it is not */
async function restore(client: Queryable, { act, at_us, who }: KeptAct, before: Before): Promise<string | null> {
  const since = "somebody has done something else since";
  const put = async (columns: readonly string[], still: Readonly<Record<string, unknown>>) => {
    const values = [
      before.id,
      ...columns.map((c) => (c === "seen" && before[c] !== null ? JSON.stringify(before[c]) : before[c])),
    ];
    const set = columns.map((c, i) => `${c} = $${i + 2}`);
    const same = Object.entries(still).map(([c, value]) => `${c} is not distinct from $${values.push(value)}`);
    const done = await client.query(
      `update incident set ${set.join(", ")} where id = $1 and ${same.join(" and ")}`,
      values,
    );
    return done.rowCount === 1 ? null : since;
  };
  switch (act.what) {
    case "acknowledge":
      return put(["acknowledged_by", "acknowledged_us", "seen", "new_since_seen"], {
        acknowledged_by: who,
        acknowledged_us: at_us,
      });
    case "assign":
      return put(["owner"], { owner: act.to || null });
    case "shelve":
      return put(["shelved_until_us", "shelved_by", "shelved_why"], { shelved_until_us: act.untilUs, shelved_by: who });
    case "close": {
      const ofThis = "f.rule_id = c.rule_id and f.key = c.key and f.incident = $1 and c.at_us = $2";
      // in this order: what the engine takes meanwhile is not there to be taken back
      await client.query(`delete from engine_close c using finding f where ${ofThis} and not c.taken`, [
        before.id,
        at_us,
      ]);
      const told = await client.query(`select 1 from engine_close c, finding f where ${ofThis}`, [before.id, at_us]);
      if ((told.rowCount ?? 0) > 0) return "the rules have been told of it already";
      return put(["state", "close_reason", "ended_us"], { state: "closed", ended_us: at_us });
    }
  }
}
