import { canonicalAddress } from "@halvik/core/base/net";
import type { Sender, SenderState } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";

interface SenderRow {
  id: number;
  name: string;
  state: SenderState;
  relay: boolean;
  via_relay: number | null;
  relay_host: string | null;
  site: string | null;
  groups: string[];
  role: string | null;
  tags: string[];
  former_names: string[] | null;
  former_addresses: string[] | null;
  zone: string | null;
  reached_through: number | null;
  expected_every_seconds: number | null;
  keep_days: number | null;
  notes: string;
  first_seen_us: number | null;
  addresses: string[] | null;
}

/** The whole directory; a few thousand rows at most. */
export async function loadSenders(db: Queryable, defaultZone: string): Promise<Sender[]> {
  const { rows } = await db.query<SenderRow>(
    `select s.*, (select array_agg(host(address) order by position, address) from sender_address a where a.sender = s.id) as addresses,
       (select array_agg(value order by until_us desc, value) from sender_former f where f.sender = s.id and f.what = 'name') as former_names,
       (select array_agg(value order by until_us desc, value) from sender_former f where f.sender = s.id and f.what = 'address') as former_addresses
     from sender s order by s.id`,
  );
  return rows.map((r) => ({
    id: r.id,
    name: r.name,
    state: r.state,
    addresses: (r.addresses ?? []).map((a) => canonicalAddress(a) ?? a),
    relay: r.relay,
    viaRelay: r.via_relay,
    relayHost: r.relay_host,
    site: r.site,
    groups: r.groups,
    role: r.role,
    tags: r.tags,
    formerNames: r.former_names ?? [],
    formerAddresses: r.former_addresses ?? [],
    zone: r.zone ?? defaultZone,
    reachedThrough: r.reached_through,
    expectedEverySeconds: r.expected_every_seconds,
    keepDays: r.keep_days,
    notes: r.notes,
    firstSeenUs: r.first_seen_us,
  }));
}

/** Another number whenever a sender may be another one. */
export async function sendersVersion(db: Queryable): Promise<number> {
  return (await db.query<{ version: number }>("select version from directory_version")).rows[0]!.version;
}

/** A block whose senders are admitted when they are first heard. */
export interface AdmittedNetwork {
  readonly id: number;
  readonly network: string;
  readonly by: string;
  readonly sinceUs: number;
  /** Its senders that are admitted, and those of them first heard since. */
  readonly admitted: number;
  readonly later: number;
}

export async function admittedNetworks(db: Queryable): Promise<AdmittedNetwork[]> {
  const { rows } = await db.query<{
    id: number;
    network: string;
    by: string;
    since: number;
    admitted: number;
    later: number;
  }>(
    `select n.id, n.network::text, n.added_by as by, n.added_us as since, count(distinct s.id)::int as admitted,
       count(distinct s.id) filter (where s.first_seen_us >= n.added_us)::int as later
     from admitted_network n left join sender_address a on a.address <<= n.network left join sender s on s.id = a.sender and s.state = 'admitted'
     group by n.id order by n.network`,
  );
  return rows.map(({ since, ...r }) => ({ ...r, sinceUs: since }));
}

/** Takes back that senders of a block are admitted when they are first heard; those that are stay so. @returns the block; null: there is no such rule */
export async function removeAdmittedNetwork(db: Queryable, id: number): Promise<string | null> {
  const { rows } = await db.query<{ network: string }>(
    "delete from admitted_network where id = $1 returning network::text",
    [id],
  );
  return rows[0]?.network ?? null;
}

/** Admits senders that came to wait just before their network was admitted. */
export async function admitWaitingOfNetworks(db: Queryable): Promise<void> {
  await db.query(
    "update sender s set state = 'admitted' from sender_address a join admitted_network n on a.address <<= n.network where a.sender = s.id and s.state = 'waiting'",
  );
}

/** Makes the sender of an address, named by it. @returns its number, or that of the one that is there */
export async function addSender(
  db: Queryable,
  address: string,
  state: SenderState,
  firstSeenUs: number,
): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    `with s as (insert into sender (name, state, first_seen_us) values ($1, $2, $3)
       on conflict (lower(name collate "C")) do update set first_seen_us = coalesce(sender.first_seen_us, excluded.first_seen_us) returning id)
     insert into sender_address (address, sender, since_us) select $1::inet, id, $3 from s on conflict (address) do update set address = excluded.address returning sender as id`,
    [address, state, firstSeenUs],
  );
  return rows[0]!.id;
}

/** Makes the sender of a host name behind a relay, admitted with it. */
export async function addSenderBehind(
  db: Queryable,
  relay: Pick<Sender, "id" | "name" | "zone">,
  host: string,
  firstSeenUs: number,
): Promise<{ id: number; name: string }> {
  const { rows } = await db.query<{ id: number; name: string }>(
    `insert into sender (name, state, via_relay, relay_host, zone, first_seen_us)
     values (case when exists (select from sender where lower(name collate "C") = lower($2::text collate "C")) then $2 || ' via ' || $3 else $2 end, 'admitted', $1, $2, $4, $5)
     on conflict (via_relay, lower(relay_host collate "C")) where via_relay is not null do update set relay_host = excluded.relay_host returning id, name`,
    [relay.id, host, relay.name, relay.zone, firstSeenUs],
  );
  return rows[0]!;
}

/** Forgets the waiting sender that has been heard once, the longest ago. @returns its number, if there was one */
export async function forgetOldestUnheard(db: Queryable): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>(
    `delete from sender where id = (select s.id from sender s where s.state = 'waiting' and (select count(*) from held_record h where h.sender = s.id) <= 1
       order by s.first_seen_us limit 1) returning id`,
  );
  return rows.map((r) => r.id);
}

/** Forgets waiting senders that were not heard since a time, and of which nothing is held. @returns their numbers */
export async function forgetWaitingBefore(db: Queryable, beforeUs: number): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>(
    `delete from sender s where s.state = 'waiting' and s.first_seen_us < $1 and not exists (select from held_record h where h.sender = s.id)
       and not exists (select from sender_activity a where a.sender = s.id and a.last_heard_us >= $1) returning id`,
    [beforeUs],
  );
  return rows.map((r) => r.id);
}

/** When senders were last heard, and by how much their clocks are off. */
export async function heardBefore(
  db: Queryable,
): Promise<{ sender: number; lastHeardUs: number | null; clockOffsetUs: number }[]> {
  const { rows } = await db.query<{ sender: number; last_heard_us: number | null; clock_offset_us: number }>(
    "select sender, last_heard_us, clock_offset_us from sender_activity",
  );
  return rows.map((r) => ({ sender: r.sender, lastHeardUs: r.last_heard_us, clockOffsetUs: r.clock_offset_us }));
}
