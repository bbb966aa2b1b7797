import { type NormaliseContext, syslogRecord } from "@halvik/core/normalise";
import type { Mark, RecordContent } from "@halvik/core/record";
import { LATE_AFTER_US } from "../store/batches.js";
import type { StoredContent } from "../store/record-columns.js";
import { formatRecordId, type IdSource } from "../store/record-id.js";
import type { Arrival } from "./arrival.js";
import type { LiveSender, SenderRegistry } from "./sender-registry.js";

/** What became of a batch of arrivals. Every arrival is in exactly one of these. */
export interface DecodedBatch {
  readonly records: StoredContent[];
  readonly held: { readonly sender: number; readonly arrival: Arrival }[];
  /** Peers that have no sender yet, with the moment first heard: to be noticed, then decoded again. */
  readonly unknownPeers: Map<string, number>;
  readonly unknownHosts: Map<string, { relay: LiveSender; host: string; firstSeenUs: number }>;
  refused: number;
  unlisted: number;
}

export interface DecodeOptions {
  readonly ids: IdSource;
  readonly nowUs: number;
  /** Imports store what waiting senders once sent, and mark it. */
  readonly imported: boolean;
}

/** The unknown among the peers and relayed hosts of a batch; they become senders before it is decoded. */
export function findUnknown(
  arrivals: readonly Arrival[],
  registry: SenderRegistry,
): Pick<DecodedBatch, "unknownPeers" | "unknownHosts"> {
  const unknownPeers = new Map<string, number>();
  const unknownHosts: DecodedBatch["unknownHosts"] = new Map();
  for (const arrival of arrivals) {
    const sender = registry.peer(arrival.peer);
    if (sender === undefined) {
      if (!unknownPeers.has(arrival.peer)) unknownPeers.set(arrival.peer, arrival.receivedUs);
    } else if (sender.facts.relay && sender.facts.state === "admitted") {
      const { host } = decodeFor(sender, arrival).content;
      if (host !== null && !registry.behind(sender.facts.id, host)) {
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
    held: [],
    unknownPeers: new Map(),
    unknownHosts: new Map(),
    refused: 0,
    unlisted: 0,
  };
  for (const arrival of arrivals) {
    const peer = registry.peer(arrival.peer);
    if (peer === undefined) out.unlisted++;
    else if (peer.facts.state === "refused") out.refused++;
    else if (peer.facts.state === "waiting" && !options.imported) out.held.push({ sender: peer.facts.id, arrival });
    else out.records.push(toStored(arrival, peer, registry, options));
  }
  return out;
}

function toStored(arrival: Arrival, peer: LiveSender, registry: SenderRegistry, options: DecodeOptions): StoredContent {
  let sender = peer;
  let { content, deviceUs } = decodeFor(peer, arrival);
  if (peer.facts.relay && content.host !== null) {
    const behind = registry.behind(peer.facts.id, content.host);
    if (behind) {
      sender = behind;
      // zone and clock are the original sender's, not the relay's
      ({ content, deviceUs } = decodeFor(behind, arrival));
    }
  }
  const id = options.ids.next(options.nowUs);
  const originalUs = registry.copies.check(content, `${arrival.peer} ${arrival.endpoint}`, id.us);
  const copyOf = originalUs === null ? null : formatRecordId({ us: originalUs, collector: id.collector });
  const marks = marksOf(content, arrival, copyOf, options.imported);
  learn(sender, arrival, content, deviceUs, copyOf !== null);
  if (sender !== peer) {
    peer.cadence.observe(arrival.receivedUs);
    peer.lastHeardUs = Math.max(peer.lastHeardUs ?? 0, arrival.receivedUs);
    peer.touched = true;
  }
  return {
    id,
    sender: sender.facts.id,
    endpoint: arrival.endpoint,
    copyOf,
    content: marks === content.marks ? content : { ...content, marks },
  };
}

function decodeFor(sender: LiveSender, arrival: Arrival): { content: RecordContent; deviceUs: number | null } {
  const context: NormaliseContext = {
    receivedUs: arrival.receivedUs,
    zone: sender.facts.zone,
    clockOffsetUs: sender.clock.appliedUs,
  };
  const { content, message } = syslogRecord(arrival.bytes, context);
  return { content, deviceUs: message.deviceUs };
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

function learn(
  sender: LiveSender,
  arrival: Arrival,
  content: RecordContent,
  deviceUs: number | null,
  copy: boolean,
): void {
  if (deviceUs !== null && !arrival.held) sender.clock.observe(deviceUs, arrival.receivedUs);
  sender.cadence.observe(arrival.receivedUs);
  sender.lastHeardUs = Math.max(sender.lastHeardUs ?? 0, arrival.receivedUs);
  sender.touched = true;
  const { fresh } = sender;
  fresh.records++;
  fresh.bytes += arrival.bytes.length;
  if (content.problem !== null) fresh.problems++;
  if (content.receivedUs - content.timeUs > LATE_AFTER_US) fresh.late++;
  if (copy) fresh.copies++;
}
