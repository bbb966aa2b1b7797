import { formatDuration, US_PER_DAY, US_PER_SECOND } from "@halvik/core/base/time";
import { Cadence, type Sender, type SenderDirectory } from "@halvik/core/model/senders";
import type { OwnObservation } from "@halvik/core/normalise";
import { agoUs } from "../../kernel/clock.js";
import type { Queryable } from "../../kernel/db/pool.js";
import {
  COLLECTOR_FRESH_US,
  collectorsListening,
  endSilence,
  keepReported,
  keepSilence,
  newSenders,
  type SenderActivity,
  senderActivity,
} from "./repository.js";

/** Without a learnt or set cadence, nothing is called silent. Set by hand: three times the expected gap. */
const HAND_FACTOR = 3;

/**
 * Which senders fell silent or were heard again since the last look (`docs/semantics.md` 12). A sender reached through a silent one is
 * explained by it and raises nothing. While a collector itself does not listen, silence says nothing about senders.
 */
export async function watchSenders(
  db: Queryable,
  directory: SenderDirectory,
  nowUs: number,
): Promise<OwnObservation[]> {
  const listening = await collectorsListening(db, nowUs);
  if (listening === null || listening.spooling || nowUs - listening.heartbeatUs > COLLECTOR_FRESH_US) return [];
  const rows = await senderActivity(db);
  const silentIds = new Set(
    rows.filter((r) => isSilent(r, directory.get(r.sender), listening.startedUs, nowUs)).map((r) => r.sender),
  );
  const out: OwnObservation[] = [];
  for (const row of rows) {
    const sender = directory.get(row.sender);
    if (sender?.state !== "admitted") continue;
    const silent = silentIds.has(row.sender);
    if (silent && row.sinceUs === null) {
      await keepSilence(db, row.sender, row.lastHeardUs, nowUs);
      out.push(fellSilent(sender, row, silentCause(sender, directory, silentIds), nowUs));
    } else if (!silent && row.sinceUs !== null) {
      await endSilence(db, row.sender);
      out.push({
        event: "sender-heard",
        severity: 6,
        outcome: "success",
        subject: sender.name,
        text: `${sender.name} sends again after ${formatDuration(nowUs - row.sinceUs)}.`,
      });
    }
  }
  return out;
}

function isSilent(row: SenderActivity, sender: Sender | undefined, listeningSinceUs: number, nowUs: number): boolean {
  const bound = silenceBound(row, sender, nowUs);
  if (bound === null || row.lastHeardUs === null) return false;
  return agoUs(Math.max(row.lastHeardUs, listeningSinceUs), nowUs) > bound;
}

function silenceBound(row: SenderActivity, sender: Sender | undefined, nowUs: number): number | null {
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

function fellSilent(sender: Sender, row: SenderActivity, cause: Sender | null, nowUs: number): OwnObservation {
  const usual = sender.expectedEverySeconds
    ? sender.expectedEverySeconds * US_PER_SECOND
    : row.cadence === null
      ? null
      : new Cadence(row.cadence).usualGapUs();
  const text = `${sender.name} has sent nothing for ${formatDuration(nowUs - (row.lastHeardUs ?? nowUs))}${usual === null ? "" : `; it usually speaks every ${formatDuration(usual)}`}.`;
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

/** New senders named one by one at a look; of more, their number is said. */
const MOST_NAMED = 20;
const MOST_NEW = 10_000;
/** For so long whoever is heard is new, and nobody is. */
const LEARNING_US = US_PER_DAY;

/**
 * Which senders are heard for the first time since the last look: what appears by itself, admitted with its network or waiting, and not what
 * a person has listed before. On the first day nothing is said: then all are new.
 */
export async function watchNewSenders(
  db: Queryable,
  directory: SenderDirectory,
  nowUs: number,
): Promise<OwnObservation[]> {
  const { senders, oldestUs } = await newSenders(db, MOST_NEW);
  if (senders.length === 0) return [];
  await keepReported(db, senders, nowUs);
  if (oldestUs === null || nowUs - oldestUs < LEARNING_US) return [];
  const known = senders.flatMap((id) => directory.get(id) ?? []);
  const isNew = { event: "sender-new", severity: 5, outcome: "unknown" } as const;
  const out: OwnObservation[] = known.slice(0, MOST_NAMED).map((sender) => ({
    ...isNew,
    subject: sender.name,
    text: `${sender.name} was never heard before; it ${sender.state === "admitted" ? "was admitted by itself" : "waits for admission"}.`,
    data: sender.addresses.map((address): [string, string] => ["address", address]),
  }));
  const more = senders.length - out.length;
  if (more > 0) out.push({ ...isNew, subject: "many senders", text: `${more} more senders were never heard before.` });
  return out;
}
