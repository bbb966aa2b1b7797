import type { Queryable } from "../../kernel/db/pool.js";

/** What is known of an interface beside its traffic. */
export interface InterfaceKnown {
  readonly sender: number;
  readonly interface: number;
  /** As a person calls it; empty: by no name. */
  readonly name: string;
  /** Bits a second as a person says; null: nobody did. */
  readonly statedSpeed: number | null;
  /** Bits a second as its latest counters say. */
  readonly countedSpeed: number | null;
}

/** What people and counters say of interfaces. */
export async function knownInterfaces(db: Queryable): Promise<InterfaceKnown[]> {
  const { rows } = await db.query<{
    sender: number;
    interface: number;
    name: string | null;
    said: number | null;
    counted: number | null;
  }>(
    `select coalesce(f.sender, m.sender) as sender, coalesce(f.interface, m.interface) as interface, f.name, f.speed::float8 as said, m.speed as counted
     from interface_fact f full join (
       select distinct on (sender, interface) sender, interface, nullif(speed, 0)::float8 as speed from interface_measure order by sender, interface, time desc) m
       on m.sender = f.sender and m.interface = f.interface`,
  );
  return rows.map((r) => ({
    sender: r.sender,
    interface: r.interface,
    name: r.name ?? "",
    statedSpeed: r.said,
    countedSpeed: r.counted,
  }));
}

export async function sayInterface(
  db: Queryable,
  of: { readonly sender: number; readonly interface: number },
  fact: { readonly name: string; readonly capacity: number | null },
  who: string,
  nowUs: number,
): Promise<void> {
  await db.query(
    `insert into interface_fact (sender, interface, name, speed, author, changed_us) values ($1, $2, $3, $4, $5, $6)
     on conflict (sender, interface) do update set name = excluded.name, speed = excluded.speed, author = excluded.author, changed_us = excluded.changed_us`,
    [of.sender, of.interface, fact.name, fact.capacity, who, nowUs],
  );
}

/** Differences of counters of a window. */
interface CounterDifferences {
  first: number | null;
  last: number | null;
  restarts: number;
  in_octets: number;
  in_packets: number;
  in_errors: number;
  in_discards: number;
  out_octets: number;
  out_packets: number;
  out_errors: number;
  out_discards: number;
}

const COUNTED = ["octets", "packets", "errors", "discards"] as const;
const columns = (["in", "out"] as const).flatMap((side) => COUNTED.map((what) => `${side}_${what}`));

/**
 * What an interface's own counters (sFlow) say of a window: the differences of each to the one before. A counter that goes back began anew, and
 * what it missed is not known.
 */
export async function readCounters(
  db: Queryable,
  of: { readonly sender: number; readonly interface: number },
  fromUs: number,
  toUs: number,
): Promise<CounterDifferences> {
  const before = columns.map((c) => `${c} - lag(${c}) over w as ${c}`).join(", ");
  const sums = columns.map((c) => `coalesce(sum(${c}) filter (where ${c} >= 0), 0)::float8 as ${c}`).join(", ");
  const { rows } = await db.query<CounterDifferences>(
    `select min(time) as first, max(time) as last, count(*) filter (where in_octets < 0 or out_octets < 0)::int as restarts, ${sums}
     from (select time, ${before} from interface_measure where sender = $1 and interface = $2 and time >= $3 and time < $4 window w as (order by time)) m`,
    [of.sender, of.interface, fromUs, toUs],
  );
  return rows[0]!;
}
