import {
  BINDING_BREAK_US,
  BINDING_REASONS,
  type BindingReason,
  BOUND_THINGS,
  type BoundThing,
  MOST_ADDRESSES_OF_A_MAC,
} from "@halvik/core/model/entity";
import type { Queryable } from "../../kernel/db/pool.js";
import type { Subject } from "./subject.js";

/** Something that belongs to what was asked for, in one stretch of time. */
export interface Bound {
  readonly is: BoundThing;
  readonly value: string;
  readonly by: BindingReason;
  readonly firstUs: number;
  readonly lastUs: number;
  readonly firstRecord: string;
  readonly lastRecord: string;
  readonly count: number;
}

const MOST = 500;

interface Row {
  what: number;
  value: string;
  reason: number;
  first_us: number;
  last_us: number;
  first_record: string;
  last_record: string;
  count: number;
}

/** What records of a stretch of time bind things to, the latest first. */
export async function boundTo(
  db: Queryable,
  things: Subject["things"],
  fromUs: number,
  toUs: number,
): Promise<readonly Bound[]> {
  const asked = things.flatMap(({ thing, values }) =>
    values.map((value) => [BOUND_THINGS.indexOf(thing), value] as const),
  );
  if (asked.length === 0) return [];
  const { rows } = await db.query<Row>(
    `with asked as (select * from unnest($1::smallint[], $2::text[]) as a (thing, value)), found as (
       select b.right_thing as what, b.right_value as value, b.* from binding b join asked a on b.left_thing = a.thing and b.left_value = a.value
       union all
       select b.left_thing, b.left_value, b.* from binding b join asked a on b.right_thing = a.thing and b.right_value = a.value)
     select what, value, reason, first_us, last_us, count::float8 as count, first_record::text as first_record, last_record::text as last_record
     from found f where last_us >= $3 and first_us < $4 and not (f.reason = $5 and (
       select count(distinct r.left_value) from binding r where r.right_thing = f.right_thing and r.right_value = f.right_value and r.reason = $5) > $6)
     order by last_us desc, value limit ${MOST}`,
    [
      asked.map((a) => a[0]),
      asked.map((a) => a[1]),
      fromUs,
      toUs,
      // what sends from more addresses than a machine has forwards what others sent
      BINDING_REASONS.indexOf("flow"),
      MOST_ADDRESSES_OF_A_MAC,
    ],
  );
  return merged(
    rows.map((r) => ({
      is: BOUND_THINGS[r.what]!,
      value: r.value,
      by: BINDING_REASONS[r.reason]!,
      firstUs: r.first_us,
      lastUs: r.last_us,
      firstRecord: r.first_record,
      lastRecord: r.last_record,
      count: r.count,
    })),
  );
}

/** What was heard and what an import says of the same time is one stretch, without a long break. @param all the latest first */
function merged(all: readonly Bound[]): Bound[] {
  const out: Bound[] = [];
  for (const b of all) {
    const at = out.findIndex(
      (o) =>
        o.is === b.is &&
        o.value === b.value &&
        o.by === b.by &&
        o.firstUs <= b.lastUs + BINDING_BREAK_US &&
        b.firstUs <= o.lastUs + BINDING_BREAK_US,
    );
    const known = out[at];
    if (known === undefined) out.push(b);
    else
      out[at] = {
        ...known,
        count: known.count + b.count,
        ...(b.firstUs < known.firstUs ? { firstUs: b.firstUs, firstRecord: b.firstRecord } : {}),
      };
  }
  return out;
}
