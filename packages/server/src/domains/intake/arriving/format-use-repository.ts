import { US_PER_HOUR } from "@halvik/core/base/time";
import { fitText } from "@halvik/core/normalise";
import type { Queryable } from "../../../kernel/db/pool.js";
import type { FormatTally } from "./format-tally.js";

const LINES_KEPT = 20;
const MOST_LINE = 1_000;
const KEPT_HOURS = 400 * 24;

/** Adds what formats read in a batch, in the transaction that stores it. */
export async function noteFormatUse(db: Queryable, { uses, lines }: FormatTally, nowUs: number): Promise<void> {
  if (uses.size === 0) return;
  const hour = Math.floor(nowUs / US_PER_HOUR);
  const sorted = [...uses].sort((a, b) => a[0] - b[0]);
  await db.query(
    `insert into own_format_use as u (format, hour, met, near) select f, $2, m, n from unnest($1::int[], $3::bigint[], $4::bigint[]) as t (f, m, n)
     on conflict (format, hour) do update set met = u.met + excluded.met, near = u.near + excluded.near`,
    [sorted.map(([id]) => id), hour, sorted.map(([, u]) => u.met), sorted.map(([, u]) => u.near)],
  );
  await db.query("delete from own_format_use where hour < $1", [hour - KEPT_HOURS]);
  if (lines.length === 0) return;
  await db.query(
    "insert into own_format_near (format, at_us, sender, text, place, expected) select * from unnest($1::int[], $2::bigint[], $3::int[], $4::text[], $5::int[], $6::text[])",
    [
      lines.map((l) => l.format),
      lines.map((l) => l.atUs),
      lines.map((l) => l.sender),
      lines.map((l) => fitText(l.text, MOST_LINE)),
      lines.map((l) => l.place),
      lines.map((l) => fitText(l.expected, MOST_LINE)),
    ],
  );
  await db.query(
    `delete from own_format_near l using (select id, row_number() over (partition by format order by id desc) as n from own_format_near) o
     where o.id = l.id and o.n > ${LINES_KEPT}`,
  );
}
