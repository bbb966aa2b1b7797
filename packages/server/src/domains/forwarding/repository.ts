import type { FORWARD_STATES } from "@halvik/contract/forwarding";
import { Forward } from "@halvik/core/forward";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { compileFilter, parseFilter, type RecordTest } from "@halvik/core/query/filter";
import type { Queryable } from "../../kernel/db/pool.js";

/** A forward as it is kept. */
export interface KeptForward {
  readonly id: number;
  readonly forward: Forward;
  readonly enabled: boolean;
  readonly hasSecret: boolean;
  readonly author: string;
  readonly changedUs: number;
}

/** All forwards. One that is not readable any more is left out by whoever runs them. */
export async function loadForwards(db: Queryable): Promise<KeptForward[]> {
  const { rows } = await db.query<{
    id: number;
    body: unknown;
    enabled: boolean;
    has_secret: boolean;
    author: string;
    changed_us: number;
  }>("select id, body, enabled, has_secret, author, changed_us from forward order by id");
  return rows.flatMap(({ body, has_secret, changed_us, ...r }) => {
    const forward = Forward.safeParse(body);
    return forward.success ? [{ ...r, forward: forward.data, hasSecret: has_secret, changedUs: changed_us }] : [];
  });
}

/** What the collector alone may read. */
export async function forwardSecrets(db: Queryable): Promise<ReadonlyMap<number, string>> {
  const { rows } = await db.query<{ id: number; secret: string }>(
    "select id, secret from forward where secret is not null",
  );
  return new Map(rows.map((r) => [r.id, r.secret]));
}

/** A forward with what it chooses; null: its filter names what is gone, and nothing is chosen. */
export interface ReadyForward {
  readonly id: number;
  readonly forward: Forward;
  readonly matches: RecordTest | null;
  readonly secret: string;
}

/** What a forward chooses, or why it chooses nothing. Without a filter it chooses nothing of itself. */
export function choiceOf(
  { filter }: Forward,
  directory: SenderDirectory,
  nowUs: number,
): { readonly matches: RecordTest | null; readonly broken: string | null } {
  if (filter === "") return { matches: null, broken: null };
  const parsed = parseFilter(filter, { zone: "UTC", directory });
  return parsed.ok
    ? { matches: compileFilter(parsed.filter, { directory, nowUs }), broken: null }
    : { matches: null, broken: parsed.error.message };
}

/** The names of rules of arrival that pass on by each forward. */
export async function rulesByForward(db: Queryable): Promise<ReadonlyMap<number, readonly string[]>> {
  const { rows } = await db.query<{ forward: number; names: string[] }>(
    "select (body->>'forward')::int as forward, array_agg(body->>'name' order by place) as names from arrival_rule where body->>'forward' is not null group by 1",
  );
  return new Map(rows.map((r) => [r.forward, r.names]));
}

export async function addForward(
  db: Queryable,
  forward: Forward,
  secret: string,
  who: string,
  nowUs: number,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    "insert into forward (body, secret, author, changed_us) values ($1::jsonb, nullif($2, ''), $3, $4) returning id",
    [JSON.stringify(forward), secret, who, nowUs],
  );
  return rows[0]!.id;
}

/** @returns whether there is such a forward */
export async function changeForward(
  db: Queryable,
  id: number,
  change: { readonly forward?: Forward; readonly enabled?: boolean; readonly secret?: string },
  who: string,
  nowUs: number,
): Promise<boolean> {
  const { rowCount } = await db.query(
    "update forward set body = coalesce($2::jsonb, body), enabled = coalesce($3, enabled), author = $4, changed_us = $5 where id = $1",
    [id, change.forward === undefined ? null : JSON.stringify(change.forward), change.enabled ?? null, who, nowUs],
  );
  if (rowCount === 1 && change.secret !== undefined)
    await db.query("update forward set secret = nullif($2, '') where id = $1", [id, change.secret]);
  return rowCount === 1;
}

/** @returns its name; null: there is none */
export async function removeForward(db: Queryable, id: number): Promise<string | null> {
  const { rows } = await db.query<{ name: string }>(
    "delete from forward where id = $1 returning body->>'name' as name",
    [id],
  );
  await db.query("delete from forward_state where forward = $1", [id]);
  return rows[0]?.name ?? null;
}

/** How a forward stands, at one collector. */
export interface ForwardState {
  readonly forward: number;
  readonly state: (typeof FORWARD_STATES)[number];
  readonly detail: string;
  readonly queuedBytes: number;
  readonly oldestUs: number | null;
  readonly sent: number;
  readonly refused: number;
  readonly lost: number;
  readonly lastUs: number | null;
}

export async function writeForwardStates(
  db: Queryable,
  node: string,
  states: readonly ForwardState[],
  nowUs: number,
): Promise<void> {
  for (const s of states)
    await db.query(
      `insert into forward_state (forward, node, state, detail, queued_bytes, oldest_us, sent, refused, lost, last_us, at_us) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
       on conflict (forward, node) do update set state = excluded.state, detail = excluded.detail, queued_bytes = excluded.queued_bytes, oldest_us = excluded.oldest_us,
         sent = excluded.sent, refused = excluded.refused, lost = excluded.lost, last_us = excluded.last_us, at_us = excluded.at_us`,
      [s.forward, node, s.state, s.detail, s.queuedBytes, s.oldestUs, s.sent, s.refused, s.lost, s.lastUs, nowUs],
    );
}

/** How forwards stand, over all collectors: the worst of their states. */
export async function forwardStates(db: Queryable): Promise<ReadonlyMap<number, ForwardState>> {
  const { rows } = await db.query<{
    forward: number;
    state: ForwardState["state"];
    detail: string;
    queued: number;
    oldest: number | null;
    sent: number;
    refused: number;
    lost: number;
    last: number | null;
  }>(
    `select forward, (array_agg(state order by state = 'trouble' desc, state = 'delivering' desc))[1] as state, (array_agg(detail order by state = 'trouble' desc))[1] as detail,
       sum(queued_bytes)::float8 as queued, min(oldest_us) as oldest, sum(sent)::float8 as sent, sum(refused)::float8 as refused, sum(lost)::float8 as lost, max(last_us) as last
     from forward_state group by forward`,
  );
  return new Map(
    rows.map(({ queued, oldest, last, ...r }) => [
      r.forward,
      { ...r, queuedBytes: queued, oldestUs: oldest, lastUs: last },
    ]),
  );
}
