import * as z from "zod";
import { DecodeError } from "../../base/bytes/index.js";
import type { EpochUs } from "../../base/time/index.js";

/** What packets can tell of. `neighbour` is who has an address (ARP, RFC 826; neighbour discovery, RFC 4861). */
export const OBSERVED = ["dns", "http", "tls", "tcp", "icmp", "neighbour"] as const;
export type Observed = (typeof OBSERVED)[number];

/** One thing that packets told: a question and its answer, a request, a handshake, a connection, an error, a neighbour. */
export interface Observation {
  readonly what: Observed;
  /** When it began. */
  readonly timeUs: EpochUs;
  /** What it is called: an answer code, a method, how it ended. */
  readonly event: string;
  readonly outcome: "success" | "failure" | "unknown";
  /** Who asked, and who was asked. */
  readonly src: string;
  readonly dst: string | null;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
  /** The IP protocol; null: none (ARP). */
  readonly protocol: number | null;
  /** Addresses it names beside those. */
  readonly addresses: readonly string[];
  /** Its values by name, in the order a person reads them. Times are milliseconds. */
  readonly values: readonly (readonly [name: string, value: string])[];
}

const Port = z.int().min(0).max(65_535).nullable();
const ObservationJson = z.object({
  what: z.enum(OBSERVED),
  timeUs: z.int().min(0),
  event: z.string(),
  outcome: z.enum(["success", "failure", "unknown"]),
  src: z.string(),
  dst: z.string().nullable(),
  srcPort: Port,
  dstPort: Port,
  protocol: z.int().min(0).max(255).nullable(),
  addresses: z.array(z.string()),
  values: z.array(z.tuple([z.string(), z.string()])),
});

/** An observation as the bytes that are kept of it: JSON, its members in one order. */
export function writeObservation(o: Observation): Uint8Array {
  const { what, timeUs, event, outcome, src, dst, srcPort, dstPort, protocol, addresses, values } = o;
  const members = { what, timeUs, event, outcome, src, dst, srcPort, dstPort, protocol, addresses, values };
  return new TextEncoder().encode(JSON.stringify(members));
}

/** @throws {DecodeError} BAD_JSON when the bytes are none */
export function readObservation(bytes: Uint8Array): Observation {
  let value: unknown;
  try {
    value = JSON.parse(new TextDecoder().decode(bytes));
  } catch (e) {
    throw new DecodeError("BAD_JSON", 0, `packet: ${(e as Error).message.slice(0, 120)}`);
  }
  const read = ObservationJson.safeParse(value);
  if (read.success) return read.data;
  const [issue] = read.error.issues;
  throw new DecodeError("BAD_VALUE", 0, `packet: ${issue?.path.join(".") ?? ""} ${issue?.message ?? ""}`.slice(0, 200));
}

/** Milliseconds between two moments, to the microsecond. */
export const between = (fromUs: EpochUs, toUs: EpochUs): string => String(Math.max(0, toUs - fromUs) / 1000);
