import type { DecodeProblem } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";
import type { Count } from "./count.js";
import type { RecordKind } from "./kinds.js";
import type { Action, Category, Mark, Outcome, TimeReason } from "./names.js";
import type { Severity } from "./severity.js";

/** What only flow records say. `null`: the exporter did not. */
export interface FlowFacts {
  readonly startUs: EpochUs | null;
  /** Interface indexes at the exporter. */
  readonly ingress: number | null;
  readonly egress: number | null;
  /** The type of service octet; DSCP is its upper six bits (RFC 2474). */
  readonly tos: number | null;
  readonly tcpFlags: number | null;
  /** ICMP type × 256 + code. */
  readonly icmp: number | null;
  readonly srcAs: number | null;
  readonly dstAs: number | null;
  readonly srcMask: number | null;
  readonly dstMask: number | null;
  readonly nextHop: string | null;
  readonly vlan: number | null;
  /** 0 ingress, 1 egress. */
  readonly direction: number | null;
  readonly application: string | null;
  readonly reverseBytes: Count | null;
  readonly reversePackets: Count | null;
  /** 1: every packet was counted; more: bytes and packets are estimates. */
  readonly samplingRate: number;
  /** Which of the exporter's streams, and the datagram's number in it. */
  readonly domain: number;
  readonly sequence: number;
}

/** Addresses and ports after translation. */
export interface Translation {
  readonly src: string | null;
  readonly dst: string | null;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
}

/**
 * What any kind of record says, in one shape, so that filters, rules and screens need not ask the kind.
 * `null` and empty lists mean "the sender did not say". Addresses are canonical (`net/address.ts`).
 */
export interface RecordContent {
  readonly kind: RecordKind;
  /** The moment that orders and windows the record; chosen as `timeReason` says. */
  readonly timeUs: EpochUs;
  readonly receivedUs: EpochUs;
  readonly timeReason: TimeReason;
  /** The device's own time, as it was sent. */
  readonly deviceTime: string | null;
  /** The clock offset applied to the device time, in ms. */
  readonly clockOffsetMs: number;
  readonly severity: Severity;
  /** The severity as the kind expresses it, before the common scale. */
  readonly originalSeverity: string | null;
  readonly facility: number | null;
  readonly category: Category;
  readonly outcome: Outcome;
  readonly action: Action | null;
  readonly host: string | null;
  readonly app: string | null;
  readonly process: string | null;
  /** Message id, event id or object identifier: what the sender calls this sort of event. */
  readonly event: string | null;
  readonly users: readonly string[];
  readonly src: string | null;
  readonly dst: string | null;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
  readonly protocol: number | null;
  readonly interface: string | null;
  readonly bytes: Count | null;
  readonly packets: Count | null;
  /** Addresses named in the record that are neither source nor destination. */
  readonly otherAddresses: readonly string[];
  /** What only a flow says; null for every other kind. */
  readonly flow: FlowFacts | null;
  /** After address translation; null where none is told. */
  readonly translated: Translation | null;
  readonly text: string;
  /** Named values beyond the common ones, in the order sent; names may repeat. */
  readonly data: readonly (readonly [name: string, value: string])[];
  /** `head + text + tail` is the message as it arrived, unless `raw` is kept. */
  readonly head: string;
  readonly tail: string;
  /** The bytes themselves, where head, text and tail cannot give them back. */
  readonly raw: Uint8Array | null;
  readonly marks: readonly Mark[];
  readonly problem: DecodeProblem | null;
}

/** A stored record: content plus who sent it, through what, and its id (decimal, 63 bits). */
export interface HalvikRecord extends RecordContent {
  readonly id: string;
  readonly sender: number;
  readonly endpoint: string;
  /** The record this one is a copy of, by another path. */
  readonly copyOf: string | null;
  /** The message shape it was given on arrival, which may have become part of another since; null: none. */
  readonly shape: number | null;
}

/** A content being filled in by its kind. */
export type ContentDraft = { -readonly [K in keyof RecordContent]: RecordContent[K] };

const NONE: readonly never[] = [];

/**
 * Everything empty, for kinds to fill in. One literal with every member in one order: all contents then share one shape in
 * memory, which makes filling and reading them 20 times faster than spreading a constant (bench/decode-kinds.ts).
 */
export function emptyContent(kind: RecordKind, timeUs: EpochUs, receivedUs: EpochUs): ContentDraft {
  return {
    kind,
    timeUs,
    receivedUs,
    timeReason: "arrival: no stamp",
    deviceTime: null,
    clockOffsetMs: 0,
    severity: 6,
    originalSeverity: null,
    facility: null,
    category: "other",
    outcome: "unknown",
    action: null,
    host: null,
    app: null,
    process: null,
    event: null,
    users: NONE,
    src: null,
    dst: null,
    srcPort: null,
    dstPort: null,
    protocol: null,
    interface: null,
    bytes: null,
    packets: null,
    otherAddresses: NONE,
    flow: null,
    translated: null,
    text: "",
    data: NONE,
    head: "",
    tail: "",
    raw: null,
    marks: NONE,
    problem: null,
    // room for what makes it a record: members that are added later cost as much as decoding does
    id: undefined,
    sender: undefined,
    endpoint: undefined,
    copyOf: undefined,
    shape: undefined,
  } as ContentDraft;
}
