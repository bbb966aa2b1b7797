import type { Queryable } from "../../kernel/db/pool.js";

/** A domain that is ours: names in it are ours without it too. */
export interface OwnDomain {
  readonly domain: string;
  readonly author: string;
  readonly atUs: number;
}

export async function listDomains(db: Queryable): Promise<OwnDomain[]> {
  const { rows } = await db.query<{ domain: string; author: string; at_us: number }>(
    "select domain, author, at_us from own_domain order by domain",
  );
  return rows.map((r) => ({ domain: r.domain, author: r.author, atUs: r.at_us }));
}

/** @returns false when it is there already */
export async function addDomain(db: Queryable, { domain, author, atUs }: OwnDomain): Promise<boolean> {
  const { rowCount } = await db.query(
    "insert into own_domain (domain, author, at_us) values ($1, $2, $3) on conflict do nothing",
    [domain, author, atUs],
  );
  return rowCount === 1;
}

/** @returns false when there is no such domain */
export async function removeDomain(db: Queryable, domain: string): Promise<boolean> {
  return (await db.query("delete from own_domain where domain = $1", [domain])).rowCount === 1;
}
