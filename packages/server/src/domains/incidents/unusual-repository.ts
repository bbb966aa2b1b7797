import type { Queryable } from "../../kernel/db/pool.js";

/** Octets an address sent in each of these hours, as exporters counted them. @param hours hours since 1970 */
export async function octetsSent(
  db: Queryable,
  address: string,
  hours: readonly number[],
): Promise<ReadonlyMap<number, number>> {
  const { rows } = await db.query<{ bucket: number; bytes: number }>(
    "select bucket, bytes::float8 as bytes from flow_source where bucket = any($1::int[]) and address = $2::inet",
    [hours, address],
  );
  return new Map(rows.map((r) => [r.bucket, r.bytes]));
}

/** What the findings of an incident are about and suspect, as codes. */
export async function mainsOf(
  db: Queryable,
  incident: number,
): Promise<readonly { readonly rule: string; readonly key: string; readonly suspects: readonly string[] }[]> {
  const { rows } = await db.query<{ rule: string; key: string; suspects: string[] }>(
    "select rule_id as rule, key, suspects from finding where incident = $1 and merged_into is null order by first_us limit 200",
    [incident],
  );
  return rows;
}
