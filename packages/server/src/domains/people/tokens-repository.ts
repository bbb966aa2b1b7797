import type { Queryable } from "../../kernel/db/pool.js";
import { hashToken } from "./passwords.js";

/** Whether a token brings records; one of another scope does not, so that who may read cannot write. */
export async function mayBringRecords(db: Queryable, token: string, nowUs: number): Promise<boolean> {
  const { rowCount } = await db.query(
    "select 1 from token where hash = $1 and scope = 'intake' and not revoked and coalesce(expires_us, $2) >= $2",
    [hashToken(token), nowUs],
  );
  return rowCount !== 0;
}
