import { createHash } from "node:crypto";
import { type ChangedState, type Checkpoint, logicOf, Rule, type SavedRun, type SavedState } from "@halvik/core/detect";
import type { Queryable } from "../../../kernel/db/pool.js";

/** What stands for a rule's logic beside its states: those of another logic mean nothing to it. */
const logicHash = (logic: string): string => createHash("sha256").update(logic).digest("hex").slice(0, 32);

/** A version of a rule as it was kept; null where it could not be one today. */
interface KeptVersion {
  readonly id: string;
  readonly version: number;
  readonly changedUs: number;
  readonly rule: Rule | null;
}

async function keptVersions(db: Queryable, ruleIds: readonly string[]): Promise<KeptVersion[]> {
  const { rows } = await db.query<{ id: string; version: number; changed_us: number; body: unknown }>(
    "select id, version, changed_us, body from rule_version where id = any($1::text[]) order by id, version desc",
    [ruleIds],
  );
  return rows.map((r) => {
    const rule = Rule.safeParse(r.body);
    return { id: r.id, version: r.version, changedUs: r.changed_us, rule: rule.success ? rule.data : null };
  });
}

/** Blocks of the table that are read at once: some ten thousand states, but for those that are long and lie elsewhere. */
const BLOCKS = 512;
/** Letters of states in one text, and one state more: the database makes no text of more than a gigabyte. */
const MOST_LETTERS = 4_000_000;

/** States of one version of a rule in one lane. */
interface Group {
  readonly ruleId: string;
  readonly lane: string;
  readonly hash: string;
}

/** What the engine goes on from: its states as they are read, by the thousand, for there may be a million of them. */
export interface KeptCheckpoint extends Omit<Checkpoint, "states"> {
  readonly states: AsyncIterable<readonly SavedState[]>;
}

/**
 * States of these rules, and of earlier versions that left something open; others are dropped.
 * @param except rules whose states are left alone and not read: they failed
 */
export async function loadCheckpoint(
  db: Queryable,
  rules: readonly Rule[],
  except: readonly string[],
): Promise<KeptCheckpoint> {
  const known = rules.map((rule) => ({ rule, logic: logicOf(rule), hash: logicHash(logicOf(rule)) }));
  const current = known.filter((k) => k.rule.enabled);
  const logics = new Map(known.map((k) => [`${k.rule.id} ${k.hash}`, k.logic]));
  // before there was a logic beside them, all counted
  for (const k of current) if (k.rule.kind === "count") logics.set(`${k.rule.id} `, k.logic);
  const earlier = new Map<string, Rule>(
    known.filter((k) => !k.rule.enabled).map((k) => [`${k.rule.id} ${k.hash}`, k.rule] as const),
  );
  const runs = new Set(
    current.flatMap((k) => [`${k.rule.id} ${k.hash}`, ...(k.rule.kind === "count" ? [`${k.rule.id} `] : [])]),
  );
  const there = await groups(db, except);
  const stale = there.filter((g) => !runs.has(at(g)));
  await dropSettled(db, stale);
  // all states are gone through to tell their groups: once, where nothing was dropped
  const left = stale.length === 0 ? there : await groups(db, except);
  const strangers = [...new Set(left.filter((g) => !logics.has(at(g))).map((g) => g.ruleId))];
  for (const { id, rule } of await keptVersions(db, strangers)) {
    if (rule === null) continue;
    const logic = logicOf(rule);
    const of = `${id} ${logicHash(logic)}`;
    if (logics.has(of)) continue;
    logics.set(of, logic);
    earlier.set(of, rule);
  }
  const leaves = new Set(left.map(at));
  return {
    states: statesOf(db, except, logics),
    earlier: [...earlier].filter(([of]) => leaves.has(of)).map(([, rule]) => rule),
    since: await logicSince(db, current),
  };
}

const at = (g: Pick<Group, "ruleId" | "hash">): string => `${g.ruleId} ${g.hash}`;

async function groups(db: Queryable, except: readonly string[]): Promise<Group[]> {
  const { rows } = await db.query<{ rule_id: string; lane: string; logic: string }>(
    "select distinct rule_id, lane, logic from engine_state where not (rule_id = any($1::text[])) order by rule_id, lane, logic",
    [except],
  );
  return rows.map((r) => ({ ruleId: r.rule_id, lane: r.lane, hash: r.logic }));
}

/** Of versions that do not run any more only what they left open means something; what has no version means nothing. */
async function dropSettled(db: Queryable, of: readonly Group[]): Promise<void> {
  if (of.length === 0) return;
  await db.query(
    `delete from engine_state s using unnest($1::text[], $2::text[], $3::text[]) g (rule_id, lane, logic)
     where (s.rule_id, s.lane, s.logic) = (g.rule_id, g.lane, g.logic) and ((s.state->'open')::text = 'null' or s.logic = '')`,
    [of.map((g) => g.ruleId), of.map((g) => g.lane), of.map((g) => g.hash)],
  );
}

/**
 * In the order in which they lie, each part as one text: read row by row, a million take three times as long. While one part is taken up, the
 * database makes the next. Nobody writes meanwhile.
 */
async function* statesOf(
  db: Queryable,
  except: readonly string[],
  logics: ReadonlyMap<string, string>,
): AsyncGenerator<readonly SavedState[]> {
  const { rows } = await db.query<{ blocks: number }>(
    "select (pg_relation_size('engine_state') / current_setting('block_size')::int)::int as blocks",
  );
  const { blocks } = rows[0]!;
  let next = partFrom(db, 0, except);
  for (let block = 0; block < blocks; block += BLOCKS) {
    const { rows: part } = await next;
    if (block + BLOCKS < blocks) next = partFrom(db, block + BLOCKS, except);
    for (const { rule_id: ruleId, lane, logic: hash, states } of part) {
      const logic = logics.get(at({ ruleId, hash }));
      if (logic === undefined) continue;
      const all = JSON.parse(states) as [string, SavedRun][];
      yield all.map(([key, state]) => ({ ruleId, lane, key, logic, state }));
    }
  }
}

/** States that lie in some blocks; of those of one version in one lane, `[[key, state], …]` as text. */
function partFrom(db: Queryable, block: number, except: readonly string[]) {
  const part = db.query<{ rule_id: string; lane: string; logic: string; states: string }>(
    `select rule_id, lane, logic, '[' || string_agg('[' || to_json(key)::text || ',' || state || ']', ',') || ']' as states
     from (select *, sum(length(state)) over (order by place) / ${MOST_LETTERS} as part from (
       select rule_id, lane, logic, key, state::text as state, ctid as place from engine_state
       where ctid >= $1::tid and ctid < $2::tid and not (rule_id = any($3::text[]))) s) p
     group by rule_id, lane, logic, part`,
    [`(${block},0)`, `(${block + BLOCKS},0)`, except],
  );
  // a part that fails is told when its turn comes
  part.catch(() => undefined);
  return part;
}

/** From when on rules that had another logic have theirs. */
async function logicSince(
  db: Queryable,
  current: readonly { readonly rule: Rule; readonly logic: string }[],
): Promise<Map<string, number>> {
  const { rows } = await db.query<{ id: string }>("select id from rule where version > 1");
  const versions = await keptVersions(
    db,
    rows.map((r) => r.id),
  );
  const since = new Map<string, number>();
  for (const { rule, logic } of current) {
    const own = versions.filter((v) => v.id === rule.id);
    const other = own.findIndex((v) => v.rule === null || logicOf(v.rule) !== logic);
    if (other > 0) since.set(rule.id, own[other - 1]!.changedUs);
  }
  return since;
}

export async function saveStates(db: Queryable, states: readonly ChangedState[]): Promise<void> {
  // a state may change twice in a step; the last stands
  const latest = new Map(states.map((s) => [`${s.ruleId} ${s.lane} ${s.key} ${s.logic}`, s]));
  const kept = [...latest.values()].filter((s) => s.state !== null);
  const gone = [...latest.values()].filter((s) => s.state === null);
  const hashes = new Map([...new Set(states.map((s) => s.logic))].map((logic) => [logic, logicHash(logic)]));
  const columns = (of: readonly ChangedState[]) => [
    of.map((s) => s.ruleId),
    of.map((s) => s.lane),
    of.map((s) => s.key),
    of.map((s) => hashes.get(s.logic)!),
  ];
  if (kept.length > 0)
    await db.query(
      "insert into engine_state (rule_id, lane, key, logic, state) select * from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::json[]) on conflict (rule_id, lane, key_hash(key), logic) do update set state = excluded.state",
      [...columns(kept), kept.map((s) => JSON.stringify(s.state))],
    );
  if (gone.length > 0)
    await db.query(
      "delete from engine_state s using unnest($1::text[], $2::text[], $3::text[], $4::text[]) g (rule_id, lane, key, logic) where s.rule_id = g.rule_id and s.lane = g.lane and key_hash(s.key) = key_hash(g.key) and s.logic = g.logic",
      columns(gone),
    );
}
