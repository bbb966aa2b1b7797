import { DecodeError } from "../base/bytes/index.js";
import { canonicalAddress } from "../base/net/index.js";
import { formatUs } from "../base/time/index.js";
import { type Observation, readObservation } from "../decode/packets/index.js";
import { emptyContent, type RecordContent, readCount, type Severity } from "../model/record/index.js";
import { chooseTime } from "./choose-time.js";
import { unreadable } from "./unreadable.js";

export interface PacketContext {
  readonly receivedUs: number;
  readonly clockOffsetUs: number;
  readonly maxBehindUs?: number | undefined;
}

/** What packets told, as a record's content. Its message is its values in words, so that they are found by searching. */
export function packetRecord(bytes: Uint8Array, context: PacketContext): RecordContent {
  let o: Observation;
  try {
    o = readObservation(bytes);
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    const problem = { code: e.code, offset: e.offset, message: e.message };
    return unreadable("packet", bytes, context.receivedUs, problem);
  }
  const { receivedUs, clockOffsetUs, maxBehindUs } = context;
  const time = chooseTime(o.timeUs, false, receivedUs, clockOffsetUs, maxBehindUs);
  const value = (name: string): string | undefined => o.values.find(([n]) => n === name)?.[1];
  const octets = [value("request bytes"), value("answer bytes")].flatMap((text) => readCount(text ?? "") ?? []);
  return Object.assign(emptyContent("packet", time.timeUs, receivedUs), {
    timeReason: time.reason,
    clockOffsetMs: time.clockOffsetMs,
    deviceTime: formatUs(o.timeUs),
    severity: severityOf(o, value),
    category: "traffic" as const,
    outcome: o.outcome,
    app: o.what,
    event: o.event,
    src: canonicalAddress(o.src),
    dst: o.dst === null ? null : canonicalAddress(o.dst),
    srcPort: o.srcPort,
    dstPort: o.dstPort,
    protocol: o.protocol,
    bytes: octets.length === 0 ? null : readCount(String(octets.reduce<bigint>((sum, n) => sum + BigInt(n), 0n))),
    otherAddresses: o.addresses.flatMap((a) => canonicalAddress(a) ?? []),
    text: [o.what, o.event, ...WORDS.flatMap((name) => o.values.flatMap(([n, v]) => (n === name ? [v] : [])))].join(
      " ",
    ),
    data: o.values,
    raw: bytes,
  });
}

/** Values that stand in the message. */
const WORDS = [
  "question type",
  "question",
  "answer",
  "server name",
  "path",
  "status",
  "version",
  "certificate subject",
  "alert",
  "destination",
  "mac",
] as const;

/** Old versions that nothing should speak any more (RFC 8996, RFC 7568). */
const FORSAKEN = new Set(["SSL 3.0", "TLS 1.0", "TLS 1.1"]);

function severityOf(o: Observation, value: (name: string) => string | undefined): Severity {
  switch (o.what) {
    case "dns":
      // a name that is not there is an answer
      return o.outcome === "failure" && o.event !== "NXDOMAIN" ? 5 : 6;
    case "http": {
      const status = value("status");
      if (status === undefined) return o.outcome === "failure" ? 5 : 6;
      return status >= "500" ? 4 : status === "401" || status === "403" ? 5 : 6;
    }
    case "tls":
      return o.outcome === "failure" || FORSAKEN.has(value("version") ?? "") ? 5 : 6;
    case "neighbour":
      return o.event === "changed" ? 5 : 6;
    case "icmp":
      return o.event === "prohibited" ? 5 : 6;
    case "tcp":
      return 6;
  }
}
