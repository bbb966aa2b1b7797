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
    `select s.*, (select array_agg(host(address) order by position, address) from sender_address a where a.sender = s.id) as addresses
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
    zone: r.zone ?? defaultZone,
    reachedThrough: r.reached_through,
    expectedEverySeconds: r.expected_every_seconds,
    keepDays: r.keep_days,
    notes: r.notes,
    firstSeenUs: r.first_seen_us,
  }));
}
