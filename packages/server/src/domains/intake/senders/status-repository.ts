import type { SenderJson } from "@halvik/contract/senders";
import { formatUs, US_PER_SECOND } from "@halvik/core/base/time";
import { Cadence, type SavedCadence, type SenderDirectory } from "@halvik/core/model/senders";
import type { Queryable } from "../../../kernel/db/pool.js";

interface ActivityRow {
  sender: number;
  last_heard_us: number | null;
  records: number;
  bytes: number;
  problems: number;
  late: number;
  copies: number;
  capped: number;
  held: number;
  held_refused: number;
  clock_offset_us: number;
  cadence: SavedCadence | null;
  since_us: number | null;
}

/** Every sender with what is known of its sending. */
export async function senderStatus(db: Queryable, directory: SenderDirectory): Promise<SenderJson[]> {
  const { rows } = await db.query<ActivityRow>(
    "select a.*, s.since_us from sender_activity a left join sender_silence s using (sender)",
  );
  const held = await db.query<{ sender: number; n: number }>(
    "select sender, count(*)::int as n from held_record group by sender",
  );
  const activity = new Map(rows.map((r) => [r.sender, r]));
  const heldNow = new Map(held.rows.map((r) => [r.sender, r.n]));
  return directory.senders.map((s) => {
    const a = activity.get(s.id);
    const usual = a?.cadence ? new Cadence(a.cadence).usualGapUs() : null;
    return {
      id: s.id,
      name: s.name,
      state: s.state,
      addresses: [...s.addresses],
      relay: s.relay,
      via: s.viaRelay === null ? null : directory.name(s.viaRelay),
      relayHost: s.relayHost,
      site: s.site,
      groups: [...s.groups],
      role: s.role,
      tags: [...s.tags],
      formerNames: [...s.formerNames],
      formerAddresses: [...s.formerAddresses],
      zone: s.zone,
      reachedThrough: s.reachedThrough === null ? null : directory.name(s.reachedThrough),
      expectedEverySeconds: s.expectedEverySeconds,
      keepDays: s.keepDays,
      notes: s.notes,
      firstSeen: s.firstSeenUs === null ? null : formatUs(s.firstSeenUs),
      lastHeard: a?.last_heard_us ? formatUs(a.last_heard_us) : null,
      records: a?.records ?? 0,
      bytes: a?.bytes ?? 0,
      problems: a?.problems ?? 0,
      late: a?.late ?? 0,
      copies: a?.copies ?? 0,
      capped: a?.capped ?? 0,
      held: heldNow.get(s.id) ?? 0,
      heldRefused: a?.held_refused ?? 0,
      clockOffsetMs: Math.round((a?.clock_offset_us ?? 0) / 1000),
      usualGapSeconds: usual === null ? null : usual / US_PER_SECOND,
      silentSince: a?.since_us ? formatUs(a.since_us) : null,
    };
  });
}

/** Arrivals of senders beyond the list of waiting ones, as the collector counted them. */
export async function unlistedSenders(db: Queryable): Promise<number> {
  const { rows } = await db.query<{ n: number | null }>(
    "select sum((detail->>'unlisted senders')::bigint)::bigint as n from role_status where role = 'collector'",
  );
  return rows[0]?.n ?? 0;
}
