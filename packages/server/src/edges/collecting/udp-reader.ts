import { createSocket } from "node:dgram";
import { isIPv6 } from "node:net";
import { parentPort, workerData } from "node:worker_threads";
import { nowUs } from "../../kernel/clock.js";

/**
 * A thread that does nothing but empty a UDP socket: datagrams are packed into blocks and handed over. It stops
 * handing over, and counts, when the other side is too far behind: the kernel's buffer is not the place to find that out.
 *
 * Block: per datagram `[length u32][peer u32][received µs f64][bytes]`.
 */
export interface UdpReaderData {
  readonly host: string;
  readonly port: number;
  readonly receiveBufferBytes: number;
}

export type FromReader =
  | { readonly type: "listening"; readonly port: number; readonly receiveBufferBytes: number }
  | { readonly type: "failed"; readonly code: string; readonly message: string }
  | {
      readonly type: "block";
      readonly buffer: ArrayBuffer;
      readonly length: number;
      readonly newPeers: readonly string[];
      readonly overflow: number;
      /** Peers are numbered anew from this block on. */
      readonly restarted: boolean;
    };

export type ToReader = { readonly type: "done"; readonly bytes: number } | { readonly type: "close" };

const BLOCK_BYTES = 512 * 1024;
const ENTRY_HEADER_BYTES = 16;
const MAX_DATAGRAM = 65_535;
const FLUSH_MS = 10;
/** Bytes handed over and not yet worked off. Bytes, not blocks: at a steady rate a block is small and 64 of them are a moment. */
const MAX_OUTSTANDING_BYTES = 32 * 1024 * 1024;
const MAX_PEERS = 100_000;

function read(port: NonNullable<typeof parentPort>, data: UdpReaderData): void {
  const socket = createSocket({ type: isIPv6(data.host) ? "udp6" : "udp4", reuseAddr: false });
  const peers = new Map<string, number>();
  let newPeers: string[] = [];
  let block = Buffer.allocUnsafeSlow(BLOCK_BYTES);
  let used = 0;
  let outstanding = 0;
  let overflow = 0;
  /** The next block's numbers of peers begin anew. */
  let restarted = false;
  /** Nobody wakes up for nothing: it runs from the first that waits. */
  let due: NodeJS.Timeout | null = null;

  const flush = () => {
    if (due !== null) clearTimeout(due);
    due = null;
    if (used === 0 && overflow === 0) return;
    // a little is copied, a lot is handed over: few datagrams must not hold a whole block in memory
    const little = used < BLOCK_BYTES / 8;
    const buffer = (little ? block.buffer.slice(0, used) : block.buffer) as ArrayBuffer;
    const message: FromReader = { type: "block", buffer, length: used, newPeers, overflow, restarted };
    port.postMessage(message, [buffer]);
    outstanding += used;
    if (!little) block = Buffer.allocUnsafeSlow(BLOCK_BYTES);
    used = 0;
    overflow = 0;
    newPeers = [];
    restarted = false;
  };

  socket.on("message", (bytes, remote) => {
    if (outstanding >= MAX_OUTSTANDING_BYTES) {
      overflow++;
      due ??= setTimeout(flush, FLUSH_MS);
      return;
    }
    if (used + ENTRY_HEADER_BYTES + bytes.length > BLOCK_BYTES) flush();
    let peer = peers.get(remote.address);
    if (peer === undefined) {
      // as many invented addresses as there are: the list begins anew, and nobody is left out for it
      if (peers.size >= MAX_PEERS) {
        flush();
        peers.clear();
        restarted = true;
      }
      peer = peers.size;
      peers.set(remote.address, peer);
      newPeers.push(remote.address);
    }
    block.writeUInt32LE(bytes.length, used);
    block.writeUInt32LE(peer, used + 4);
    block.writeDoubleLE(nowUs(), used + 8);
    bytes.copy(block, used + ENTRY_HEADER_BYTES);
    used += ENTRY_HEADER_BYTES + bytes.length;
    due ??= setTimeout(flush, FLUSH_MS);
    if (used + ENTRY_HEADER_BYTES + MAX_DATAGRAM > BLOCK_BYTES) flush();
  });
  socket.on("error", (e: NodeJS.ErrnoException) => {
    const message: FromReader = { type: "failed", code: e.code ?? "UNKNOWN", message: e.message };
    port.postMessage(message);
    socket.close();
  });
  socket.bind({ address: data.host, port: data.port }, () => {
    socket.setRecvBufferSize(data.receiveBufferBytes);
    const message: FromReader = {
      type: "listening",
      port: socket.address().port,
      receiveBufferBytes: socket.getRecvBufferSize(),
    };
    port.postMessage(message);
  });
  port.on("message", (message: ToReader) => {
    if (message.type === "done") outstanding -= message.bytes;
    else {
      flush();
      socket.close();
      port.close();
    }
  });
}

if (parentPort) read(parentPort, workerData as UdpReaderData);
