import { createHash, randomBytes } from "node:crypto";
import { createSocket, type RemoteInfo, type Socket } from "node:dgram";
import { isIPv6 } from "node:net";
import { canonicalAddress } from "@halvik/core/base/net";
import { type OwnEngine, type SnmpNotification, SnmpReceiver, type UsmUsers } from "@halvik/core/decode/snmp";
import { type Arrival, isKept } from "../../domains/intake/arrivals/arrival.js";
import {
  type Endpoint,
  type EndpointCounters,
  type EndpointSink,
  type EndpointStatus,
  portTrouble,
  type RefusedCommunity,
} from "../../domains/intake/arrivals/endpoint.js";
import { communityDigest, maskCommunity } from "../../domains/intake/endpoints/communities.js";
import { nowUs } from "../../kernel/clock.js";
import { KernelDrops } from "./kernel-drops.js";

export interface SnmpOptions {
  readonly host: string;
  readonly port: number;
  readonly receiveBufferBytes: number;
  readonly isAdmitted: (community: string) => boolean;
  readonly users: UsmUsers;
  /** Users that are one sender's alone: the addresses that sender has. */
  readonly onlyFrom: ReadonlyMap<string, readonly string[]>;
  readonly engine: OwnEngine;
}

/** Refused communities that are told of: who guesses makes many, and the last ones go. */
const MAX_REFUSED = 20;
/** Informs remembered, so that one sent again is answered again and not stored twice. */
const MAX_INFORMS = 20_000;

const REASONS: Readonly<Record<string, string>> = {
  NOT_AUTHENTIC: "refused: wrong password or community",
  UNKNOWN_USER: "refused: unknown user",
  UNKNOWN_ENGINE: "refused: unknown engine",
  OUT_OF_TIME: "refused: outside the time window (old or played again)",
  NOT_NOTIFICATION: "refused: no notification",
};

/**
 * What is the same when an inform is sent again, by whatever message: who sends it, its request id and all it says. Of v3 not the engine's
 * boots: after a restart here the sender asks for the new ones and sends it again with them.
 */
function informKey(n: SnmpNotification, peer: string, port: number, key: string): string {
  const from = n.version === "v3" ? `v3 ${n.contextEngineId ?? ""}` : `v2 ${port}`;
  const plain = (_name: string, value: unknown) =>
    typeof value === "bigint"
      ? value.toString()
      : value instanceof Uint8Array
        ? Buffer.from(value).toString("hex")
        : value;
  return createHash("sha256")
    .update(`${peer} ${from} ${key} ${JSON.stringify(n.pdu, plain)}`)
    .digest("hex");
}

/** A message without its community. */
function hidden(bytes: Buffer, community: Buffer): Buffer {
  const at = community.length === 0 ? -1 : bytes.indexOf(community);
  return at < 0 ? bytes : Buffer.from(bytes).fill("*", at, at + community.length);
}

/** SNMP notifications over UDP: traps, and informs that are answered once the record is durable. */
export class SnmpEndpoint implements Endpoint {
  private readonly socket: Socket;
  private readonly receiver: SnmpReceiver;
  private readonly informs = new Map<string, "waiting" | "kept">();
  /** Communities nobody admitted, by what they are known by; the one that came last stands last. */
  private readonly refused = new Map<string, RefusedCommunity>();
  private hushed = false;
  private state: EndpointStatus["state"] = "stopped";
  private detail = "";
  private kernelDrops: KernelDrops | null = null;
  readonly counters: EndpointCounters = { datagrams: 0, bytes: 0 };

  constructor(
    readonly name: string,
    private readonly options: SnmpOptions,
    private readonly sink: EndpointSink,
  ) {
    this.socket = createSocket({ type: isIPv6(options.host) ? "udp6" : "udp4" });
    this.receiver = new SnmpReceiver(
      options.users,
      options.isAdmitted,
      options.engine,
      randomBytes(8).readBigUInt64BE(),
    );
    this.socket.on("message", (bytes, remote) => this.receive(bytes, remote));
  }

  start(): Promise<void> {
    return new Promise((resolve, reject) => {
      this.socket.once("error", (e: NodeJS.ErrnoException) => {
        this.state = "failed";
        this.detail = portTrouble("UDP", this.options.port, e.code) ?? e.message;
        reject(new Error(this.detail));
      });
      this.socket.bind({ address: this.options.host, port: this.options.port }, () => {
        this.socket.setRecvBufferSize(this.options.receiveBufferBytes);
        this.socket.on("error", () => undefined);
        this.state = "listening";
        this.kernelDrops = new KernelDrops(this.socket.address().port);
        void this.kernelDrops.fresh().then(() => resolve());
      });
    });
  }

  async checkKernelDrops(): Promise<void> {
    const fresh = this.state === "listening" ? ((await this.kernelDrops?.fresh()) ?? 0) : 0;
    if (fresh === 0) return;
    this.counters["lost: kernel buffer full"] = (this.counters["lost: kernel buffer full"] ?? 0) + fresh;
    this.sink.lost(this.name, "the kernel's receive buffer was full", fresh);
  }

  hush(): void {
    this.hushed = true;
  }

  stop(): Promise<void> {
    if (this.state !== "listening") return Promise.resolve();
    this.state = "stopped";
    return new Promise((resolve) => this.socket.close(() => resolve()));
  }

  status(): EndpointStatus {
    return {
      name: this.name,
      transport: "udp",
      address: this.options.host,
      port: this.state === "listening" ? this.socket.address().port : this.options.port,
      state: this.state,
      detail: this.detail,
      counters: { ...this.counters },
      refused: [...this.refused.values()].reverse(),
    };
  }

  private refuse(community: string, peer: string, atUs: number): void {
    const digest = communityDigest(community);
    const count = (this.refused.get(digest)?.count ?? 0) + 1;
    this.refused.delete(digest);
    this.refused.set(digest, { digest, mask: maskCommunity(community), peer, count, atUs });
    if (this.refused.size > MAX_REFUSED) this.refused.delete(this.refused.keys().next().value!);
  }

  private count(what: string): void {
    this.counters[what] = (this.counters[what] ?? 0) + 1;
  }

  private receive(bytes: Buffer, remote: RemoteInfo): void {
    // not answered: the sender tries again, and finds the next collector
    if (this.hushed) return;
    this.count("datagrams");
    this.counters.bytes! += bytes.length;
    const receivedUs = nowUs();
    const peer = canonicalAddress(remote.address.split("%")[0]!) ?? remote.address;
    const answer = (reply: Uint8Array) => {
      // a socket that was closed meanwhile throws: the sender tries again, at the one that took its place
      try {
        this.socket.send(reply, remote.port, remote.address, () => undefined);
      } catch {
        this.count("answers not sent: socket closed");
      }
    };
    const received = this.receiver.receive(bytes, receivedUs);
    const arrival: Arrival = { protocol: "snmp", endpoint: this.name, peer, receivedUs, bytes, held: false };
    if (received.type === "refused") {
      if (received.report) answer(received.report);
      if (received.discovery) this.count("engine discoveries answered");
      else if (received.problem.code in REASONS) {
        this.count(REASONS[received.problem.code]!);
        const { community } = received;
        if (community !== undefined) this.refuse(community, peer, receivedUs);
        // a sample is for everyone's eyes
        const shown = community === undefined ? bytes : hidden(bytes, Buffer.from(community, "latin1"));
        this.sink.refused({ ...arrival, bytes: shown }, received.problem);
      } else {
        // bytes that are no SNMP stay as a record with their reason: nothing that arrives is dropped
        this.count("could not be decoded");
        this.sink.take(arrival);
      }
      return;
    }
    const { reply, key, notification } = received;
    const allowed = notification.version === "v3" ? this.options.onlyFrom.get(notification.user) : undefined;
    if (allowed && !allowed.includes(peer)) {
      this.count("refused: user of another sender");
      this.sink.refused(arrival, {
        code: "NOT_AUTHENTIC",
        offset: 0,
        message: `user “${notification.user}” is another sender’s: expected it from ${allowed.join(", ") || "nowhere"}, got it from ${peer}`,
      });
      return;
    }
    if (reply === null || key === null) {
      this.count("traps");
      this.sink.take(arrival);
      return;
    }
    const id = informKey(notification, peer, remote.port, key);
    const known = this.informs.get(id);
    if (known !== undefined) {
      this.count("informs sent again");
      if (known === "kept") answer(reply());
      return;
    }
    this.count("informs");
    if (this.informs.size >= MAX_INFORMS) this.informs.delete(this.informs.keys().next().value!);
    this.informs.set(id, "waiting");
    this.sink.take({
      ...arrival,
      requestKey: id,
      settle: (fate) => {
        if (!isKept(fate)) {
          // not answered: the sender tries again
          this.informs.delete(id);
          this.count("informs not acknowledged");
          return;
        }
        this.informs.set(id, "kept");
        this.count("informs acknowledged");
        answer(reply());
      },
    });
  }
}
