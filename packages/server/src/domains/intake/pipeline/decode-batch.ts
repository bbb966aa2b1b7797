import type { ArrivalRules } from "@halvik/core/arrive";
import { applyFormats } from "@halvik/core/formats";
import type { ContentDraft, Mark, RecordContent } from "@halvik/core/model/record";
import { fitContent } from "@halvik/core/normalise";
import type { MessageShape } from "@halvik/core/shapes";
import { LATE_AFTER_US } from "../../../store/batches.js";
import { recordInPlace, type StoredContent, type StoredDraft } from "../../../store/record-columns.js";
import { formatRecordId, type IdSource } from "../../../store/record-id.js";
import type { KeptShapes } from "../../../store/shapes.js";
import type { Arrival } from "../arrivals/arrival.js";
import { PROTOCOL_FACTS } from "../arrivals/protocols.js";
import { ArrivalTally } from "../arriving/arrival-tally.js";
import { FormatTally } from "../arriving/format-tally.js";
import { countOne, type LiveSender, type SenderRegistry, wayOf } from "../senders/registry.js";
import type { DecodedContent, Decoders } from "./decoders.js";

/** What became of a batch of arrivals. Every arrival is in exactly one of these. */
export interface DecodedBatch {
  readonly records: StoredContent[];
  /** For each arrival, how many records the batch had after it. */
  readonly ends: number[];
  readonly held: { readonly sender: number; readonly arrival: Arrival }[];
  /** Peers that have no sender yet, with the moment first heard: to be noticed, then decoded again. */
  readonly unknownPeers: Map<string, number>;
  readonly unknownHosts: Map<string, { relay: LiveSender; host: string; firstSeenUs: number }>;
  /** Of senders that are not to be heard, or beyond the waiting list. */
  readonly refusedArrivals: Arrival[];
  /** Those no record came of: templates and counters of flows, and what could not be read. */
  readonly emptyArrivals: Arrival[];
  refused: number;
  unlisted: number;
  /** What rules of arrival did. */
  readonly arriving: ArrivalTally;
  /** What rules of arrival pass on, whatever else becomes of it. */
  readonly passedOn: { readonly forward: number; readonly arrival: Arrival; readonly stored: StoredContent }[];
  /** What formats that people made read. */
  readonly formatted: FormatTally;
}

export interface DecodeOptions {
  readonly decoders: Decoders;
  readonly ids: IdSource;
  readonly nowUs: number;
  /** Imports store what waiting senders once sent, and mark it. */
  readonly imported: boolean;
  /** Tells of each record which message shape it has. */
  readonly shapes?: Pick<KeptShapes, "learn">;
  /** Rules of arrival, in their order; files are stored whole. */
  readonly arrivalRules?: ArrivalRules | undefined;
}

/** The unknown among the peers and relayed hosts of a batch; they become senders before it is decoded. */
export function findUnknown(
  arrivals: readonly Arrival[],
  registry: SenderRegistry,
  decoders: Decoders,
): Pick<DecodedBatch, "unknownPeers" | "unknownHosts"> {
  const unknownPeers = new Map<string, number>();
  const unknownHosts: DecodedBatch["unknownHosts"] = new Map();
  for (const arrival of arrivals) {
    const sender = registry.peer(arrival.peer);
    if (sender === undefined) {
      if (!unknownPeers.has(arrival.peer)) unknownPeers.set(arrival.peer, arrival.receivedUs);
    } else if (sender.facts.relay && sender.facts.state === "admitted" && PROTOCOL_FACTS[arrival.protocol].isRelayed) {
      const host = decoders.decode(arrival, sender)[0]?.content.host ?? null;
      if (host !== null && !registry.behind(sender.facts.id, host) && !registry.isRelayFull(sender.facts.id)) {
        const key = `${sender.facts.id} ${host.toLowerCase()}`;
        if (!unknownHosts.has(key)) unknownHosts.set(key, { relay: sender, host, firstSeenUs: arrival.receivedUs });
      }
    }
  }
  return { unknownPeers, unknownHosts };
}

/** Arrivals to records, with sender, time, marks and id. Learns clock and cadence on the way. */
export function decodeBatch(
  arrivals: readonly Arrival[],
  registry: SenderRegistry,
  options: DecodeOptions,
): DecodedBatch {
  const out: DecodedBatch = {
    records: [],
    ends: [],
    held: [],
    unknownPeers: new Map(),
    unknownHosts: new Map(),
    refusedArrivals: [],
    emptyArrivals: [],
    refused: 0,
    unlisted: 0,
    arriving: new ArrivalTally(),
    formatted: new FormatTally(),
    passedOn: [],
  };
  for (const arrival of arrivals) {
    const peer = registry.peer(arrival.peer);
    if (peer === undefined) {
      out.unlisted++;
      out.refusedArrivals.push(arrival);
    } else if (peer.facts.state === "refused") {
      out.refused++;
      out.refusedArrivals.push(arrival);
    } else if (peer.facts.state === "waiting" && !options.imported) out.held.push({ sender: peer.facts.id, arrival });
    else if (store(arrival, peer, registry, options, out) === 0) out.emptyArrivals.push(arrival);
    out.ends.push(out.records.length);
  }
  return out;
}

/** @returns how many records came of it */
function store(
  arrival: Arrival,
  peer: LiveSender,
  registry: SenderRegistry,
  options: DecodeOptions,
  out: DecodedBatch,
): number {
  let sender = peer;
  let decoded = options.decoders.decode(arrival, peer);
  const host = decoded[0]?.content.host ?? null;
  if (peer.facts.relay && host !== null && PROTOCOL_FACTS[arrival.protocol].isRelayed) {
    const behind = registry.behind(peer.facts.id, host);
    if (behind) {
      sender = behind;
      // zone and clock are the original sender's, not the relay's
      decoded = options.decoders.decode(arrival, behind);
    }
  }
  const before = out.records.length;
  for (const one of decoded) {
    const stored = toStored(arrival, one, sender, registry, options);
    applyOwnFormats(stored, arrival, options, out.formatted);
    if (options.shapes !== undefined) stored.shape = shapeOf(stored.content, options.shapes);
    if (options.arrivalRules === undefined || decide(stored, arrival, options.arrivalRules, out, decoded.length))
      out.records.push(stored);
    else if (PROTOCOL_FACTS[arrival.protocol].isCopied) registry.copies.forgetLast();
  }
  const kept = out.records.length - before;
  if (arrival.unobserved) return kept;
  // once an arrival, however many records it holds; one of templates alone is a sign of life too
  heard(sender, arrival);
  if (sender !== peer) heard(peer, arrival);
  return kept;
}

/** Puts into a record what the formats that people made read in it. */
function applyOwnFormats(
  stored: StoredDraft,
  { bytes }: Arrival,
  { decoders }: DecodeOptions,
  tally: FormatTally,
): void {
  const { formats = [], meanings } = decoders.settings;
  if (formats.length === 0) return;
  const made = tried(() => applyFormats(formats, stored.content, () => recordInPlace(stored), meanings));
  if (made === null) return;
  if (made.fits !== null || made.near.length > 0) tally.add(made, stored.content, stored.sender);
  // a part of a line may be more than its field holds
  if (made.fits !== null) stored.content = fitContent(made.content, bytes);
}

const shapeOf = (content: RecordContent, shapes: Pick<KeptShapes, "learn">): MessageShape | null =>
  tried(() => shapes.learn(content));

/** Whatever a format or a shape throws, the record is stored as it was decoded: nothing that arrives can end the batch it is in. */
function tried<T>(apply: () => T): T | null {
  try {
    return apply();
  } catch {
    return null;
  }
}

/**
 * Does to a record what the rules of arrival say.
 * @param among how many records share the octets of the arrival
 * @returns whether it is kept
 */
function decide(
  stored: StoredDraft,
  arrival: Arrival,
  rules: ArrivalRules,
  out: Pick<DecodedBatch, "arriving" | "passedOn">,
  among: number,
): boolean {
  const verdict = rules.judge(recordInPlace(stored));
  if (verdict.met.length === 0) return true;
  out.arriving.add(verdict, arrival.bytes.length / among);
  stored.content = verdict.record;
  stored.keepDays = verdict.keepDays;
  for (const forward of verdict.forwards) out.passedOn.push({ forward, arrival, stored });
  return verdict.droppedBy === null;
}

function heard(sender: LiveSender, arrival: Arrival): void {
  sender.cadence.observe(arrival.receivedUs);
  sender.lastHeardUs = Math.max(sender.lastHeardUs ?? 0, arrival.receivedUs);
  sender.touched = true;
}

function toStored(
  arrival: Arrival,
  { content, deviceUs }: DecodedContent,
  sender: LiveSender,
  registry: SenderRegistry,
  options: DecodeOptions,
): StoredDraft {
  const id = options.ids.next(options.nowUs);
  const originalUs = PROTOCOL_FACTS[arrival.protocol].isCopied
    ? registry.copies.check(content, arrival.peer, arrival.endpoint, id.us)
    : null;
  const copyOf = originalUs === null ? null : formatRecordId({ us: originalUs, collector: id.collector });
  const marks = marksOf(content, arrival, copyOf, options.imported);
  if (deviceUs !== null && !arrival.held && !arrival.unobserved) sender.clock.observe(deviceUs, arrival.receivedUs);
  // nobody else has a content that was just decoded
  if (marks !== content.marks) (content as ContentDraft).marks = marks;
  return { id, sender: sender.facts.id, endpoint: arrival.endpoint, copyOf, content, shape: null, keepDays: null };
}

function marksOf(content: RecordContent, arrival: Arrival, copyOf: string | null, imported: boolean): readonly Mark[] {
  const late = content.receivedUs - content.timeUs > LATE_AFTER_US;
  if (!late && !arrival.held && copyOf === null && !imported) return content.marks;
  const extra: Mark[] = [];
  if (late) extra.push("late");
  if (arrival.held) extra.push("held");
  if (copyOf !== null) extra.push("copy");
  if (imported) extra.push("imported");
  return [...content.marks, ...extra];
}

function countRecord(
  counts: Record<"records" | "bytes" | "problems" | "late" | "copies", number>,
  { content, copyOf }: StoredContent,
  octets: number,
): void {
  counts.records++;
  counts.bytes += octets;
  if (content.problem !== null) counts.problems++;
  // what is brought in from a file is old by its nature
  if (content.receivedUs - content.timeUs > LATE_AFTER_US && !content.marks.includes("imported")) counts.late++;
  if (copyOf !== null) counts.copies++;
}

/** Counts what became of arrivals with their senders; once they are stored, since a batch may have to be decoded again. */
export function countArrivals(
  arrivals: readonly Arrival[],
  decoded: DecodedBatch,
  registry: SenderRegistry,
  { undecodable, numbered }: Pick<Decoders, "undecodable" | "numbered">,
): void {
  const notTaken = new Set([...decoded.refusedArrivals, ...decoded.held.map((h) => h.arrival)]);
  for (let i = 0, at = 0; i < arrivals.length; i++) {
    const arrival = arrivals[i]!;
    const end = decoded.ends[i]!;
    // the octets of a datagram count once, however many records it held
    let octets = arrival.bytes.length;
    const from = at < end ? registry.get(decoded.records[at]!.sender) : registry.peer(arrival.peer);
    if (from !== undefined && !notTaken.has(arrival)) countOne(from, arrival, "messages");
    if (at === end) continue;
    // the records of an arrival are all of one sender
    const counts = from === undefined ? [] : [from.fresh, wayOf(from, arrival.endpoint)];
    for (; at < end; at++) {
      const record = decoded.records[at]!;
      for (const of of counts) countRecord(of, record, octets);
      octets = 0;
    }
  }
  for (const arrival of new Set(undecodable.map((u) => u.arrival))) {
    const from = registry.peer(arrival.peer);
    if (from !== undefined) countOne(from, arrival, "problems");
  }
  for (const { arrival, missed } of numbered) {
    const from = registry.peer(arrival.peer);
    if (from === undefined) continue;
    const way = wayOf(from, arrival.endpoint);
    way.numbered++;
    way.missed += missed;
  }
}
