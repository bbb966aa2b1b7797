import { canonicalAddress, parseNetwork } from "@halvik/core/base/net";
import { isZone } from "@halvik/core/base/time";
import { KINDS } from "@halvik/core/model/record";
import { KEEP_DAYS, SENDER_STATES } from "@halvik/core/model/senders";
import * as z from "zod";
import { TimeText } from "./common.js";

export const SenderJson = z
  .object({
    id: z.int(),
    name: z.string(),
    state: z.enum(SENDER_STATES),
    addresses: z.array(z.string()),
    relay: z.boolean(),
    via: z.string().nullable(),
    relayHost: z.string().nullable(),
    site: z.string().nullable(),
    groups: z.array(z.string()),
    role: z.string().nullable(),
    tags: z.array(z.string()),
    /** What it was called and where it sent from before. */
    formerNames: z.array(z.string()),
    formerAddresses: z.array(z.string()),
    zone: z.string(),
    reachedThrough: z.string().nullable(),
    expectedEverySeconds: z.int().nullable(),
    keepDays: z.int().nullable(),
    notes: z.string(),
    firstSeen: TimeText.nullable(),
    lastHeard: TimeText.nullable(),
    records: z.int(),
    bytes: z.int(),
    problems: z.int(),
    late: z.int(),
    copies: z.int(),
    capped: z.int(),
    held: z.int(),
    heldRefused: z.int(),
    clockOffsetMs: z.number(),
    usualGapSeconds: z.number().nullable(),
    silentSince: TimeText.nullable(),
  })
  .meta({ id: "Sender" });
export type SenderJson = z.infer<typeof SenderJson>;

export const SenderList = z.object({
  senders: z.array(SenderJson),
  /** Blocks whose senders are admitted when they are first heard. */
  networks: z.array(
    z.object({
      id: z.int(),
      network: z.string(),
      by: z.string(),
      since: TimeText,
      /** Senders of it that are admitted, and how many of them were first heard since the rule stands. */
      admitted: z.int(),
      later: z.int(),
    }),
  ),
  unlisted: z.int(),
});
export type SenderList = z.infer<typeof SenderList>;

const Compared = {
  /** By the hour of the last seven days, the oldest first. */
  hours: z.array(z.number()),
  day: z.number(),
  /** A day, of the six before; null: not known yet. */ usual: z.number().nullable(),
};

/**
 * What is counted of a sender: messages (a datagram, a line, an event) and the records and octets of them; of the messages those that could
 * not be read, were refused by the way in, or were over the cap; records that were late or came before.
 */
export const SENDER_COUNTS = [
  "messages",
  "records",
  "bytes",
  "problems",
  "refused",
  "late",
  "copies",
  "capped",
] as const;
/**
 * The same by each way in, with messages that had a number of the sender's own that was held against the one before, and what never came by
 * those numbers (in the sender's unit, which is a flow with NetFlow 5 and a record with IPFIX).
 */
export const WAY_COUNTS = [...SENDER_COUNTS, "numbered", "missed"] as const;
export const WayCounts = z.record(z.enum(WAY_COUNTS), z.number());
export type WayCounts = z.infer<typeof WayCounts>;
/** These counts and no more of what has them; none where nothing does. */
export const wayCounts = (of: Partial<WayCounts> = {}): WayCounts =>
  Object.fromEntries(WAY_COUNTS.map((name) => [name, of[name] ?? 0])) as WayCounts;

/** One sender: what it sends, what of it was lost or could not be read, what names it. */
export const SenderPortrait = z.object({
  from: TimeText,
  /** Records by the hour of the last seven days, the oldest first. */
  hours: z.array(z.number()),
  kinds: z.array(z.object({ kind: z.enum(KINDS), ...Compared })),
  severities: z.array(z.object({ severity: z.int(), ...Compared })),
  /** Of all records of the last day. */
  share: z.number(),
  /** Its addresses, then names and addresses it had, the latest first; since when it is not known: null. */
  called: z.array(
    z.object({
      what: z.enum(["name", "address"]),
      value: z.string(),
      since: TimeText.nullable(),
      until: TimeText.nullable(),
    }),
  ),
  undecodable: z.array(
    z.object({
      endpoint: z.string(),
      at: TimeText,
      code: z.string(),
      message: z.string(),
      offset: z.int(),
      hex: z.string(),
    }),
  ),
  /** What came by each way in, the way that was heard last first. */
  ways: z.array(
    z.object({
      endpoint: z.string(),
      last: TimeText,
      /** By the hour of the last seven days and this one, the oldest first. */
      hours: z.array(WayCounts),
    }),
  ),
  /** By how many milliseconds its clock was behind, least and most, in each of those hours; null: nothing came. Less than nothing: it was ahead. */
  clock: z.array(z.object({ least: z.number(), most: z.number() }).nullable()),
  /** What names it, by what it is. */
  uses: z.array(
    z.object({
      what: z.enum(["rule", "rule of arrival", "forward", "notification", "report", "board", "saved filter"]),
      id: z.string(),
      name: z.string(),
    }),
  ),
  /** Rules drop some of what arrives, of whomever. */
  rulesDrop: z.boolean(),
  /** What its own counter said, the latest first, and how much it and we counted since the time before. */
  counters: z.array(
    z.object({
      at: TimeText,
      theirs: z.number(),
      who: z.string(),
      since: z.object({ theirs: z.number(), ours: z.number(), from: TimeText }).nullable(),
    }),
  ),
});
export type SenderPortrait = z.infer<typeof SenderPortrait>;

/** What the numbers say that a sender gives its own messages. */
export const SenderNumbers = z.object({
  /** From when on they were looked at. */
  since: TimeText,
  streams: z.array(
    z.object({
      /** Which numbers. */
      what: z.string(),
      /** Of which log, of which machine; empty: there is one alone. */
      of: z.string(),
      first: z.number(),
      last: z.number(),
      received: z.int(),
      /** Between others that came; null: its numbers do not follow one another. */
      missing: z.number().nullable(),
      /** How often they began anew. */
      anew: z.int(),
    }),
  ),
});
export type SenderNumbers = z.infer<typeof SenderNumbers>;

/** What a sender's own counter of messages says now. */
export const SenderCounter = z.object({ count: z.int().min(0).max(Number.MAX_SAFE_INTEGER) });

/** What a waiting sender has sent: what of it is held, read as it would be stored. */
export const HeldSummary = z.object({
  total: z.int(),
  first: TimeText.nullable(),
  last: TimeText.nullable(),
  /** Records a day at this rate; null: too short to tell. */
  perDay: z.int().nullable(),
  ways: z.array(z.object({ endpoint: z.string(), count: z.int() })),
  /** Of the last 200. */
  kinds: z.array(z.object({ kind: z.enum(KINDS), count: z.int() })),
  unreadable: z.int(),
  guess: z.object({ family: z.string(), why: z.string() }).nullable(),
  records: z.array(
    z.object({
      at: TimeText,
      kind: z.enum(KINDS),
      severity: z.int(),
      says: z.string(),
      problem: z.string().nullable(),
    }),
  ),
});
export type HeldSummary = z.infer<typeof HeldSummary>;

const address = z.string().transform((text, context) => {
  const canonical = canonicalAddress(text.trim());
  if (canonical === null)
    context.addIssue({ code: "custom", message: `expected an IPv4 or IPv6 address, got "${text}"` });
  return canonical ?? z.NEVER;
});

/** The facts about a sender that people set. */
export const SenderFacts = z.object({
  name: z.string().trim().min(1).max(120),
  addresses: z.array(address).max(64),
  relay: z.boolean(),
  site: z.string().trim().max(120).nullable(),
  groups: z.array(z.string().trim().min(1).max(120)).max(32),
  role: z.string().trim().max(120).nullable(),
  tags: z.array(z.string().trim().min(1).max(120)).max(32),
  zone: z.string().refine(isZone, "expected an IANA zone such as Europe/Oslo"),
  reachedThrough: z.string().trim().max(120).nullable(),
  expectedEverySeconds: z
    .int()
    .min(1)
    .max(30 * 86_400)
    .nullable(),
  keepDays: z
    .int()
    .refine((days) => (KEEP_DAYS as readonly number[]).includes(days), `expected one of ${KEEP_DAYS.join(", ")} days`)
    .nullable(),
  notes: z.string().max(4_000),
});
export type SenderFacts = z.infer<typeof SenderFacts>;
export const SenderChange = SenderFacts.partial();

/** What is known of a sender when it is admitted; more can be said later. */
export const AdmitSender = SenderFacts.pick({ name: true, site: true }).partial();

/** A block of addresses, canonical. */
const networkText = z.string().transform((text, context) => {
  const network = parseNetwork(text.trim());
  if (network === null)
    context.addIssue({ code: "custom", message: `expected a block such as 10.20.0.0/16, got "${text}"` });
  return network === null ? z.NEVER : `${network.first}/${network.bits}`;
});

export const AdmitNetwork = z.object({
  network: networkText,
  /** Also senders of this block heard of later. */
  fromNowOn: z.boolean(),
});

export const RefuseNetwork = z.object({ network: networkText });
