import { Worker } from "node:worker_threads";
import { canonicalAddress } from "@halvik/core/base/net";
import type { Protocol } from "../../domains/intake/arrivals/arrival.js";
import {
  type Endpoint,
  type EndpointCounters,
  type EndpointSink,
  type EndpointStatus,
  portTrouble,
} from "../../domains/intake/arrivals/endpoint.js";
import { KernelDrops } from "./kernel-drops.js";
import type { FromReader, ToReader, UdpReaderData } from "./udp-reader.js";

const ENTRY_HEADER_BYTES = 16;

/** A protocol over UDP, read by a thread of its own: one datagram, one arrival (syslog: RFC 5426). */
export class UdpEndpoint implements Endpoint {
  private worker: Worker | null = null;
  private peers: string[] = [];
  private state: EndpointStatus["state"] = "stopped";
  private detail = "";
  private grantedBytes = 0;
  private boundPort: number;
  private kernelDrops: KernelDrops | null = null;
  readonly counters: EndpointCounters = {
    datagrams: 0,
    bytes: 0,
    "lost: kernel buffer full": 0,
    "lost: collector behind": 0,
  };

  constructor(
    readonly name: string,
    private readonly protocol: Protocol,
    private readonly options: UdpReaderData,
    private readonly sink: EndpointSink,
  ) {
    this.boundPort = options.port;
  }

  async start(): Promise<void> {
    const worker = new Worker(new URL("./udp-reader.js", import.meta.url), { workerData: this.options });
    this.worker = worker;
    await new Promise<void>((resolve, reject) => {
      worker.on("message", (message: FromReader) => {
        if (message.type === "listening") {
          this.state = "listening";
          this.boundPort = message.port;
          this.grantedBytes = message.receiveBufferBytes;
          resolve();
        } else if (message.type === "failed") {
          this.state = "failed";
          this.detail = portTrouble("UDP", this.options.port, message.code) ?? message.message;
          reject(new Error(this.detail));
        } else this.takeBlock(message);
      });
      worker.on("error", reject);
    });
    this.kernelDrops = new KernelDrops(this.boundPort);
    await this.kernelDrops.fresh();
  }

  async stop(): Promise<void> {
    if (!this.worker) return;
    const ended = new Promise((resolve) => this.worker!.once("exit", resolve));
    this.tell({ type: "close" });
    await ended;
    this.worker = null;
    this.state = "stopped";
  }

  status(): EndpointStatus {
    return {
      name: this.name,
      transport: "udp",
      address: this.options.host,
      port: this.boundPort,
      state: this.state,
      detail: this.detail || this.bufferNote(),
      counters: { ...this.counters },
    };
  }

  async checkKernelDrops(): Promise<void> {
    const fresh = (await this.kernelDrops?.fresh()) ?? 0;
    if (fresh === 0) return;
    this.counters["lost: kernel buffer full"]! += fresh;
    this.sink.lost(this.name, "the kernel's receive buffer was full", fresh);
  }

  private bufferNote(): string {
    // Linux reports twice what was asked for: half of it is its own bookkeeping
    const grantedBytes = this.grantedBytes / 2;
    if (grantedBytes >= this.options.receiveBufferBytes) return "";
    const kib = (n: number) => `${Math.round(n / 1024)} KiB`;
    return `receive buffer ${kib(grantedBytes)} instead of ${kib(this.options.receiveBufferBytes)}: bursts beyond about ${Math.floor(grantedBytes / 1_000)} messages may be lost. As root: sysctl -w net.core.rmem_max=${this.options.receiveBufferBytes}`;
  }

  private takeBlock(message: Extract<FromReader, { type: "block" }>): void {
    if (message.restarted) this.peers = [];
    for (const peer of message.newPeers) this.peers.push(canonicalAddress(peer.split("%")[0]!) ?? peer);
    if (message.overflow > 0) {
      this.counters["lost: collector behind"]! += message.overflow;
      this.sink.lost(this.name, "the collector could not keep up", message.overflow);
    }
    const view = new DataView(message.buffer);
    let at = 0;
    while (at < message.length) {
      const length = view.getUint32(at, true);
      const peer = this.peers[view.getUint32(at + 4, true)]!;
      const receivedUs = Math.floor(view.getFloat64(at + 8, true));
      const bytes = new Uint8Array(message.buffer, at + ENTRY_HEADER_BYTES, length);
      at += ENTRY_HEADER_BYTES + length;
      this.counters.datagrams!++;
      this.counters.bytes! += length;
      this.sink.take({ protocol: this.protocol, endpoint: this.name, peer, receivedUs, bytes, held: false });
    }
    this.tell({ type: "done", bytes: message.length });
  }

  private tell(message: ToReader): void {
    this.worker?.postMessage(message);
  }
}
