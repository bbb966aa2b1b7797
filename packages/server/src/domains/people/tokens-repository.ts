import type { EpochUs } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";
import { hashToken } from "./passwords.js";

/** Whether a token brings records; one of another scope does not, so that who may read cannot write. */
export async function mayBringRecords(db: Queryable, token: string, nowUs: EpochUs): Promise<boolean> {
  const { rowCount } = await db.query(
    "select 1 from token where hash = $1 and scope = 'intake' and not revoked and coalesce(expires_us, $2) >= $2",
    [hashToken(token), nowUs],
  );
  return rowCount !== 0;
}

/** Whether a person, or a token, may read as things stand now. */
export async function mayRead(db: Queryable, name: string, nowUs: EpochUs): Promise<boolean> {
  const { rows } = await db.query(
    `select 1 from person where name = $1 and not disabled
     union all select 1 from token where 'token ' || name = $1 and not revoked and scope <> 'intake' and (expires_us is null or expires_us > $2)`,
    [name, nowUs],
  );
  return rows.length > 0;
}
