import { createHash } from "node:crypto";
import {
  type Brief,
  type ChangedState,
  type Checkpoint,
  logicOf,
  Rule,
  type SavedRun,
  type SavedState,
} from "@halvik/core/detect";
import type { Client, Queryable } from "../../../kernel/db/pool.js";
import { copiedRows } from "../../../store/copy-out.js";

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

/** How near a key is to being raised is kept in thousandths. */
const NEAR_WHOLE = 1_000;
const MOST_NEAR = 2 ** 31 - 1;

/** States of one version of a rule in one lane. */
interface Group {
  readonly ruleId: string;
  readonly lane: string;
  readonly hash: string;
}

/** What the engine goes on from: its states as they are read, by the hundred, for there may be a million of them. */
export interface KeptCheckpoint extends Omit<Checkpoint, "states"> {
  readonly states: AsyncIterable<readonly SavedState[]>;
}

/**
 * States of these rules, and of earlier versions that left something open; others are dropped.
 * @param except rules whose states are left alone and not read: they failed
 */
export async function loadCheckpoint(
  db: Client,
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

/** What is read of a state, in this order. */
const STATE_COLUMNS = [
  ["rule_id", "text"],
  ["lane", "text"],
  ["logic", "text"],
  ["key", "text"],
  ["state::text", "text"],
  ["last_us", "int8"],
  ["next_us", "int8"],
  ["near", "int4"],
  ["open::int", "int4"],
  ["learning::int", "int4"],
] as const;
type StateRow = [
  ruleId: string,
  lane: string,
  hash: string,
  key: string,
  text: string,
  lastUs: number | null,
  nextUs: number | null,
  near: number | null,
  open: number | null,
  learning: number | null,
];

/** As they lie, while the database gives them: their texts are left as they are until something touches them. Nobody writes meanwhile. */
async function* statesOf(
  client: Client,
  except: readonly string[],
  logics: ReadonlyMap<string, string>,
): AsyncGenerator<readonly SavedState[]> {
  const failed = new Set(except);
  const query = `select ${STATE_COLUMNS.map(([column]) => column).join(", ")} from engine_state`;
  const types = STATE_COLUMNS.map(([, type]) => type);
  for await (const rows of copiedRows(client, query, types, (row) => {
    const [ruleId, lane, hash, key, text, lastUs, nextUs, near, open, learning] = row as StateRow;
    const logic = failed.has(ruleId) ? undefined : logics.get(at({ ruleId, hash }));
    if (logic === undefined) return null;
    const state =
      lastUs === null
        ? (JSON.parse(text) as SavedRun)
        : {
            text,
            hasOpen: open === 1,
            lastUs,
            nextUs: nextUs ?? Number.POSITIVE_INFINITY,
            near: near === null ? null : near / NEAR_WHOLE,
            isLearning: learning === 1,
          };
    return { ruleId, lane, key, logic, state };
  }))
    yield rows.filter((s) => s !== null);
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

/** last_us, next_us, near, open, learning; all null: it is read as soon as it is taken up. */
function columnsOf(brief: Brief | null): readonly (number | boolean | null)[] {
  if (brief === null || !Number.isFinite(brief.lastUs) || !(brief.nextUs > Number.NEGATIVE_INFINITY))
    return [null, null, null, null, null];
  const { lastUs, nextUs, near, hasOpen, isLearning } = brief;
  return [
    Math.floor(lastUs),
    Number.isFinite(nextUs) ? Math.floor(nextUs) : null,
    near === null || !Number.isFinite(near) ? null : Math.min(Math.round(near * NEAR_WHOLE), MOST_NEAR),
    hasOpen,
    isLearning,
  ];
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
      `insert into engine_state (rule_id, lane, key, logic, state, last_us, next_us, near, open, learning)
       select * from unnest($1::text[], $2::text[], $3::text[], $4::text[], $5::json[], $6::bigint[], $7::bigint[], $8::int[], $9::boolean[], $10::boolean[])
       on conflict (rule_id, lane, key_hash(key), logic) do update set state = excluded.state,
         last_us = excluded.last_us, next_us = excluded.next_us, near = excluded.near, open = excluded.open, learning = excluded.learning`,
      [
        ...columns(kept),
        kept.map((s) => JSON.stringify(s.state)),
        ...[0, 1, 2, 3, 4].map((i) => kept.map((s) => columnsOf(s.brief)[i])),
      ],
    );
  if (gone.length > 0)
    await db.query(
      "delete from engine_state s using unnest($1::text[], $2::text[], $3::text[], $4::text[]) g (rule_id, lane, key, logic) where s.rule_id = g.rule_id and s.lane = g.lane and key_hash(s.key) = key_hash(g.key) and s.logic = g.logic",
      columns(gone),
    );
}
