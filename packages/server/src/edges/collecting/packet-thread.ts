import { parentPort, workerData } from "node:worker_threads";
import { US_PER_SECOND } from "@halvik/core/base/time";
import type { CapturedMessage } from "@halvik/core/decode/capture";
import { MeteredCapture } from "@halvik/core/decode/meter";
import { nowUs } from "../../kernel/clock.js";
import { type SniffOptions, Tcpdump } from "../sniffing/tcpdump.js";

/** A thread that reads what tcpdump captures, and hands over what the packets tell: flows as IPFIX, the rest as records of packets. */
export interface PacketThreadData extends SniffOptions {
  readonly keepsQueries: boolean;
  /** The address it is told as. */
  readonly as: string;
  /** Tells its flows' stream from others of the same address. */
  readonly domain: number;
}

/** One thing the packets tell. */
export interface Told {
  readonly protocol: "flow" | "packet";
  readonly bytes: Uint8Array;
}

export type FromPackets =
  | { readonly type: "listening" }
  | {
      readonly type: "told";
      readonly told: readonly Told[];
      readonly bytes: number;
      /** Since it was last said: what the kernel dropped, what could not be read, what was let go because nobody took it. */
      readonly dropped: number;
      readonly unreadable: number;
      readonly overflow: number;
    }
  | { readonly type: "ended"; readonly reason: string | null };

export type ToPackets = { readonly type: "done"; readonly bytes: number } | { readonly type: "close" };

const TICK_MS = 1_000;
const MOST_AT_ONCE = 500;
/** Handed over and not yet taken. */
const MOST_OUTSTANDING_BYTES = 32 * 1024 * 1024;
/** Flows are told of as a datagram could. */
const MOST_DATAGRAM = 60_000;
const CLOCK_BACK_US = 60 * US_PER_SECOND;

async function read(port: NonNullable<typeof parentPort>, data: PacketThreadData): Promise<void> {
  const capture = new MeteredCapture(data.as, data.domain, {
    keepsQueries: data.keepsQueries,
    mostBytes: MOST_DATAGRAM,
  });
  let waiting: Told[] = [];
  let bytes = 0;
  let outstanding = 0;
  let unreadable = 0;
  let overflow = 0;
  let dropsReported = 0;
  let lastUs = nowUs();
  const say = (message: FromPackets) => port.postMessage(message);
  // not as root: a role is none
  const tcpdump = new Tcpdump(data, false, () => say({ type: "listening" }));
  const flush = () => {
    const dropped = tcpdump.dropped - dropsReported;
    if (waiting.length + dropped + unreadable + overflow === 0) return;
    say({ type: "told", told: waiting, bytes, dropped, unreadable, overflow });
    dropsReported = tcpdump.dropped;
    outstanding += bytes;
    waiting = [];
    bytes = unreadable = overflow = 0;
  };
  const bring = (told: Iterable<CapturedMessage>) => {
    for (const m of told) {
      if (m.type === "problem") unreadable++;
      else if (m.protocol !== "flow" && m.protocol !== "packet") continue;
      else if (outstanding + bytes >= MOST_OUTSTANDING_BYTES) overflow++;
      else {
        waiting.push({ protocol: m.protocol, bytes: m.bytes });
        bytes += m.bytes.length;
        if (waiting.length >= MOST_AT_ONCE) flush();
      }
    }
  };
  port.on("message", (message: ToPackets) => {
    if (message.type === "close") tcpdump.stop();
    else outstanding -= message.bytes;
  });
  const tick = setInterval(() => {
    const now = nowUs();
    // by a clock that was set back nothing would be over for as long
    if (now < lastUs - CLOCK_BACK_US) bring(capture.renew());
    lastUs = now;
    bring(capture.pass(now));
    flush();
  }, TICK_MS);
  let reason: string | null = null;
  try {
    for await (const chunk of tcpdump.packets()) bring(capture.push(chunk));
  } catch (e) {
    reason = (e as Error).message;
  }
  clearInterval(tick);
  bring(capture.end());
  flush();
  say({ type: "ended", reason });
}

if (parentPort) await read(parentPort, workerData as PacketThreadData);
