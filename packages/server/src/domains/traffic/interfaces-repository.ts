import type { Queryable } from "../../kernel/db/pool.js";

/** What is known of an interface beside its traffic. */
export interface InterfaceKnown {
  readonly sender: number;
  readonly interface: number;
  /** As a person calls it; empty: by no name. */
  readonly name: string;
  /** Bits a second as a person says; null: nobody did. */
  readonly saidSpeed: number | null;
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
    saidSpeed: r.said,
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
