import { EndpointSettings } from "@halvik/contract/kinds";
import type { Queryable } from "../../../kernel/db/pool.js";
import { AppError } from "../../../kernel/http/errors.js";

/** One that was refused at an endpoint, by what it is known by; null: none such is told of. */
export async function refusedCommunity(
  db: Queryable,
  endpoint: string,
  digest: string,
): Promise<{ digest: string; mask: string } | null> {
  const { rows } = await db.query<{ mask: string }>(
    "select r->>'mask' as mask from endpoint, jsonb_array_elements(refused) r where name = $1 and r->>'digest' = $2 limit 1",
    [endpoint, digest],
  );
  return rows[0] === undefined ? null : { digest, mask: rows[0].mask };
}

/** What an endpoint of SNMP is set to, held until the transaction ends. */
export async function communitySettings(db: Queryable, endpoint: string): Promise<EndpointSettings> {
  const { rows } = await db.query<{ settings: unknown }>(
    "select settings from endpoint_config where name = $1 and kind = 'snmp' for update",
    [endpoint],
  );
  if (rows[0] === undefined) throw new AppError("BAD_REQUEST", `“${endpoint}” is no endpoint of SNMP`);
  return EndpointSettings.parse(rows[0].settings);
}

export const keepCommunities = (db: Queryable, endpoint: string, changed: EndpointSettings): Promise<unknown> =>
  db.query("update endpoint_config set settings = settings || $2 where name = $1", [endpoint, JSON.stringify(changed)]);
