import { formatDuration, US_PER_SECOND } from "@halvik/core/base/time";
import { Cadence, type SavedCadence, type Sender, type SenderDirectory } from "@halvik/core/model/senders";
import type { OwnObservation } from "@halvik/core/normalise";
import { agoUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";

/** Without a learnt or set cadence, nothing is called silent. Set by hand: three times the expected gap. */
const HAND_FACTOR = 3;
const COLLECTOR_FRESH_US = 10 * US_PER_SECOND;

interface ActivityRow {
  sender: number;
  last_heard_us: number | null;
  cadence: SavedCadence | null;
  since_us: number | null;
}

/**
 * Which senders fell silent or were heard again since the last look (`semantics.md` 12). A sender reached through a silent one is
 * explained by it and raises nothing. While the collector itself does not listen, silence says nothing about senders.
 */
export async function watchSenders(
  db: Queryable,
  directory: SenderDirectory,
  nowUs: number,
): Promise<OwnObservation[]> {
  const collector = await db.query<{ started_us: number; heartbeat_us: number; spooling: boolean }>(
    "select started_us, heartbeat_us, coalesce((detail->>'spooling')::boolean, false) as spooling from role_status where role = 'collector'",
  );
  const listening = collector.rows[0];
  if (!listening || listening.spooling || nowUs - listening.heartbeat_us > COLLECTOR_FRESH_US) return [];
  const { rows } = await db.query<ActivityRow>(
    "select a.sender, a.last_heard_us, a.cadence, s.since_us from sender_activity a left join sender_silence s using (sender)",
  );
  const silentIds = new Set(
    rows.filter((r) => isSilent(r, directory.get(r.sender), listening.started_us, nowUs)).map((r) => r.sender),
  );
  const out: OwnObservation[] = [];
  for (const row of rows) {
    const sender = directory.get(row.sender);
    if (sender?.state !== "admitted") continue;
    const silent = silentIds.has(row.sender);
    if (silent && row.since_us === null) {
      await db.query(
        "insert into sender_silence (sender, since_us, told_us) values ($1, $2, $3) on conflict do nothing",
        [row.sender, row.last_heard_us, nowUs],
      );
      out.push(fellSilent(sender, row, silentCause(sender, directory, silentIds), nowUs));
    } else if (!silent && row.since_us !== null) {
      await db.query("delete from sender_silence where sender = $1", [row.sender]);
      out.push({
        event: "sender-heard",
        severity: 6,
        outcome: "success",
        subject: sender.name,
        text: `${sender.name} is heard again after ${formatDuration(nowUs - row.since_us)}.`,
      });
    }
  }
  return out;
}

function isSilent(row: ActivityRow, sender: Sender | undefined, listeningSinceUs: number, nowUs: number): boolean {
  const bound = silenceBound(row, sender, nowUs);
  if (bound === null || row.last_heard_us === null) return false;
  return agoUs(Math.max(row.last_heard_us, listeningSinceUs), nowUs) > bound;
}

function silenceBound(row: ActivityRow, sender: Sender | undefined, nowUs: number): number | null {
  const every = sender?.expectedEverySeconds;
  if (every) return every * HAND_FACTOR * US_PER_SECOND;
  return row.cadence === null ? null : new Cadence(row.cadence).silenceBoundUs(nowUs);
}

/** The silent sender nearest on the way to this one, or null. */
function silentCause(sender: Sender, directory: SenderDirectory, silent: ReadonlySet<number>): Sender | null {
  const seen = new Set<number>();
  for (let id = sender.reachedThrough; id !== null && !seen.has(id); id = directory.get(id)?.reachedThrough ?? null) {
    if (silent.has(id)) return directory.get(id) ?? null;
    seen.add(id);
  }
  return null;
}

function fellSilent(sender: Sender, row: ActivityRow, cause: Sender | null, nowUs: number): OwnObservation {
  const usual = sender.expectedEverySeconds
    ? sender.expectedEverySeconds * US_PER_SECOND
    : row.cadence === null
      ? null
      : new Cadence(row.cadence).usualGapUs();
  const text = `${sender.name} has sent nothing for ${formatDuration(nowUs - (row.last_heard_us ?? nowUs))}${usual === null ? "" : `; it usually speaks every ${formatDuration(usual)}`}.`;
  if (cause === null) return { event: "sender-silent", severity: 4, outcome: "failure", subject: sender.name, text };
  return {
    event: "sender-silent",
    severity: 6,
    outcome: "unknown",
    subject: sender.name,
    text: `${text} Explained by ${cause.name}, through which it is reached.`,
    data: [["explained by", cause.name]],
  };
}
