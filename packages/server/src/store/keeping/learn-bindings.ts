import { US_PER_DAY } from "@halvik/core/base/time";
import {
  BINDING_REASONS,
  BOUND_THINGS,
  BINDING_BREAK_US as BREAK_US,
  bindingsOf,
  FLOW_MAY_BIND,
  MAY_BIND,
  MOST_ADDRESSES_OF_A_MAC,
  OwnNames,
} from "@halvik/core/model/entity";
import type { HalvikRecord } from "@halvik/core/model/record";
import { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import { type Client, type Queryable, transaction } from "../../kernel/db/pool.js";
import { filterToSql, Params } from "../filter-sql.js";
import { readRows, selectFrom } from "../record-rows.js";
import { GuardedTurn, type Turn } from "./guarded-turn.js";

/** Rows that are read at once. */
const ROWS = 5_000;
const REST_MS = 5_000;
/** So long it reads what is behind before other work has its turn. */
const TURN_MS = 2_000;
/** Bindings that are kept; of more, those that were said last. */
const MOST_KEPT = 500_000;
/** Of what was heard; an import has its number. */
const HEARD = 0;

/** Learns what belongs together from records as they are stored, those from before it was learnt first. */
export class BindingKeeping {
  private readonly guarded = new GuardedTurn(REST_MS, (reason) => ({
    event: "bindings-not-learnt",
    severity: 3,
    outcome: "failure",
    subject: "keeper",
    text: `Which address is whose could not be noted and is tried again every minute. The reason: ${reason}`,
  }));

  constructor(private readonly client: Client) {}

  /** One turn. @throws when the database cannot be used: that is everybody's trouble */
  turn(beat: () => Promise<void>): Promise<Turn> {
    return this.guarded.take(async () => {
      const startedMs = performance.now();
      let isBehind = true;
      while (isBehind && performance.now() - startedMs < TURN_MS) {
        isBehind = await learnBindings(this.client);
        await beat();
      }
      return isBehind;
    });
  }
}

/** What may bind something, of each shape; names of senders do not matter to it. */
const mayBind = { record: read(MAY_BIND), flow: read(FLOW_MAY_BIND) };

function read(text: string): Filter {
  const parsed = parseFilter(text, { zone: "UTC" });
  if (!parsed.ok) throw new Error(`${text}: ${parsed.error.message}`);
  return parsed.filter;
}

/** A stretch of time in which something was said without a long break. */
interface Said {
  readonly lane: number;
  readonly left: number;
  readonly leftValue: string;
  readonly right: number;
  readonly rightValue: string;
  readonly reason: number;
  firstUs: number;
  lastUs: number;
  count: number;
  firstRecord: string;
  lastRecord: string;
}

/**
 * Looks through records that were stored since, and notes with what they say how far it came, in one transaction.
 * @returns whether there is more than one call looks through
 */
export async function learnBindings(client: Client): Promise<boolean> {
  const { rows: behind } = await client.query<{
    name: string;
    shape: "record" | "flow";
    after: string;
    upto: string;
    job: number | null;
  }>(
    `select s.name, s.shape, s.job, coalesce(p.last_id, 0)::text as after, s.max_id::text as upto from segment s left join binding_position p on p.segment = s.name
     where s.max_id > coalesce(p.last_id, 0) order by s.min_time, s.name limit 1`,
  );
  const [next] = behind;
  if (next === undefined) return false;
  const params = new Params();
  const condition = filterToSql(mayBind[next.shape], params, {
    directory: new SenderDirectory([]),
    nowUs: 0,
    shape: next.shape,
  });
  const { rows } = await client.query(
    `${selectFrom(next.name)} where r.id > ${params.add(next.after, "::bigint")} and r.id <= ${params.add(next.upto, "::bigint")} and ${condition.text} order by r.id limit ${ROWS}`,
    params.values,
  );
  const records = readRows(next.name, rows);
  const told = saidBy(records, next.job ?? HEARD, await senderNames(client), await ownNames(client));
  const said = next.shape === "flow" ? await withoutRouters(client, told) : told;
  const lastId = records.length < ROWS ? next.upto : records[records.length - 1]!.id;
  await transaction(client, async () => {
    await note(client, said);
    await client.query(
      "insert into binding_position (segment, last_id) values ($1, $2) on conflict (segment) do update set last_id = excluded.last_id",
      [next.name, lastId],
    );
  });
  return true;
}

/** Leaves out further addresses of what has shown to be a router: one more than a machine has is kept, and says so. */
async function withoutRouters(db: Queryable, said: readonly Said[]): Promise<Said[]> {
  const macs = [...new Set(said.map((s) => s.rightValue))];
  const { rows } = await db.query<{ mac: string; addresses: string[] }>(
    `select right_value as mac, array_agg(distinct left_value) as addresses from binding
     where right_thing = $1 and right_value = any($2::text[]) and reason = $3 group by 1`,
    [BOUND_THINGS.indexOf("mac"), macs, BINDING_REASONS.indexOf("flow")],
  );
  const addressesOf = new Map(rows.map((r) => [r.mac, new Set(r.addresses)]));
  return said.filter((s) => {
    const known = addressesOf.get(s.rightValue) ?? new Set();
    addressesOf.set(s.rightValue, known);
    if (!known.has(s.leftValue) && known.size > MOST_ADDRESSES_OF_A_MAC) return false;
    known.add(s.leftValue);
    return true;
  });
}

async function senderNames(db: Queryable): Promise<(sender: number) => string> {
  const { rows } = await db.query<{ id: number; name: string }>("select id, name from sender");
  const names = new Map(rows.map((r) => [r.id, r.name]));
  return (sender) => names.get(sender) ?? "";
}

async function ownNames(db: Queryable): Promise<OwnNames> {
  const { rows } = await db.query<{ domain: string }>("select domain from own_domain order by domain");
  return new OwnNames(rows.map((r) => r.domain));
}

function saidBy(
  records: readonly HalvikRecord[],
  lane: number,
  nameOf: (sender: number) => string,
  ours: OwnNames,
): Said[] {
  const all = new Map<string, Said[]>();
  for (const r of records)
    for (const b of bindingsOf(r, nameOf(r.sender), ours)) {
      const key = JSON.stringify([b.left, b.leftValue, b.right, b.rightValue, b.reason]);
      const stretches = all.get(key) ?? [];
      all.set(key, stretches);
      const near = stretches.find((s) => r.timeUs >= s.firstUs - BREAK_US && r.timeUs <= s.lastUs + BREAK_US);
      if (near === undefined) {
        stretches.push({
          lane,
          left: BOUND_THINGS.indexOf(b.left),
          leftValue: b.leftValue,
          right: BOUND_THINGS.indexOf(b.right),
          rightValue: b.rightValue,
          reason: BINDING_REASONS.indexOf(b.reason),
          firstUs: r.timeUs,
          lastUs: r.timeUs,
          count: 1,
          firstRecord: r.id,
          lastRecord: r.id,
        });
        continue;
      }
      near.count++;
      if (r.timeUs < near.firstUs) [near.firstUs, near.firstRecord] = [r.timeUs, r.id];
      if (r.timeUs >= near.lastUs) [near.lastUs, near.lastRecord] = [r.timeUs, r.id];
    }
  return [...all.values()].flat();
}

/** Extends what is known, or begins anew where it was not said for long. */
async function note(db: Queryable, said: readonly Said[]): Promise<void> {
  if (said.length === 0) return;
  await db.query(
    `with said as (
       select * from unnest($1::int[], $2::smallint[], $3::text[], $4::smallint[], $5::text[], $6::smallint[], $7::bigint[], $8::bigint[], $9::bigint[], $10::bigint[], $11::bigint[])
         with ordinality as s (lane, left_thing, left_value, right_thing, right_value, reason, first_us, last_us, count, first_record, last_record, n)),
     extended as (
       update binding b set
         first_us = least(b.first_us, s.first_us), last_us = greatest(b.last_us, s.last_us), count = b.count + s.count,
         first_record = case when s.first_us < b.first_us then s.first_record else b.first_record end,
         last_record = case when s.last_us >= b.last_us then s.last_record else b.last_record end
       from said s
       where b.left_thing = s.left_thing and b.left_value = s.left_value and b.right_thing = s.right_thing and b.right_value = s.right_value
         and b.reason = s.reason and b.lane = s.lane and b.first_us <= s.last_us + $12 and b.last_us >= s.first_us - $12
       returning s.n)
     insert into binding (lane, left_thing, left_value, right_thing, right_value, reason, first_us, last_us, count, first_record, last_record)
     select lane, left_thing, left_value, right_thing, right_value, reason, first_us, last_us, count, first_record, last_record
     from said where n not in (select n from extended)`,
    [
      said.map((s) => s.lane),
      said.map((s) => s.left),
      said.map((s) => s.leftValue),
      said.map((s) => s.right),
      said.map((s) => s.rightValue),
      said.map((s) => s.reason),
      said.map((s) => s.firstUs),
      said.map((s) => s.lastUs),
      said.map((s) => s.count),
      said.map((s) => s.firstRecord),
      said.map((s) => s.lastRecord),
      BREAK_US,
    ],
  );
}

/** Lets go of what was last said before records are kept, of imports that are gone, and of what is too much. */
export async function pruneBindings(db: Queryable, keepDays: number, nowUs: number): Promise<void> {
  await db.query(
    "delete from binding b where last_us < $1 or (lane <> $2 and not exists (select from segment s where s.job = b.lane))",
    [nowUs - keepDays * US_PER_DAY, HEARD],
  );
  await db.query("delete from binding where ctid in (select ctid from binding order by last_us desc offset $1)", [
    MOST_KEPT,
  ]);
  await db.query("delete from binding_position p where not exists (select from segment s where s.name = p.segment)");
}
