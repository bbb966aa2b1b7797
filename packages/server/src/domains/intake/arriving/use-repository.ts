import { US_PER_HOUR } from "@halvik/core/base/time";
import { fitText } from "@halvik/core/normalise";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { ArrivalTally } from "./arrival-tally.js";

const SAMPLES_KEPT = 20;
const MOST_SAMPLE = 500;
/** Days for which it is known what was dropped. */
const KEPT_HOURS = 400 * 24;

/** Adds what rules of arrival did in a batch, in the transaction that stores it. */
export async function noteArrivalUse(db: Queryable, tally: ArrivalTally, nowUs: number): Promise<void> {
  if (tally.uses.size === 0) return;
  const hour = Math.floor(nowUs / US_PER_HOUR);
  const uses = [...tally.uses].sort((a, b) => a[0] - b[0]);
  await db.query(
    `insert into arrival_rule_use as u (rule, hour, met, dropped, bytes) select r, $2, m, d, b from unnest($1::int[], $3::bigint[], $4::bigint[], $5::bigint[]) as t (r, m, d, b)
     on conflict (rule, hour) do update set met = u.met + excluded.met, dropped = u.dropped + excluded.dropped, bytes = u.bytes + excluded.bytes`,
    [
      uses.map(([rule]) => rule),
      hour,
      uses.map(([, u]) => u.met),
      uses.map(([, u]) => u.dropped),
      uses.map(([, u]) => Math.round(u.bytes)),
    ],
  );
  await db.query("delete from arrival_rule_use where hour < $1", [hour - KEPT_HOURS]);
  if (tally.samples.length === 0) return;
  await db.query(
    "insert into arrival_sample (rule, at_us, sender, text) select * from unnest($1::int[], $2::bigint[], $3::int[], $4::text[])",
    [
      tally.samples.map((s) => s.rule),
      tally.samples.map((s) => s.atUs),
      tally.samples.map((s) => s.sender),
      tally.samples.map((s) => fitText(s.text, MOST_SAMPLE)),
    ],
  );
  await db.query(
    `delete from arrival_sample s using (select id, row_number() over (partition by rule order by id desc) as n from arrival_sample) o
     where o.id = s.id and o.n > ${SAMPLES_KEPT}`,
  );
}

/** Records that rules dropped in whole hours that touch a window. */
export async function droppedWithin(
  db: Queryable,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    "select coalesce(sum(dropped), 0)::float8 as n from arrival_rule_use where dropped > 0 and hour >= $1 and hour < $2",
    [Math.floor(fromUs / US_PER_HOUR), Math.ceil(toUs / US_PER_HOUR)],
  );
  return rows[0]!.n;
}
