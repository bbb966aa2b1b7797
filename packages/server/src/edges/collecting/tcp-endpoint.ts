import { createServer, type Server, type Socket } from "node:net";
import { createServer as createTlsServer, TLSSocket } from "node:tls";
import { canonicalAddress } from "@halvik/core/base/net";
import { type Frame, SyslogFraming } from "@halvik/core/decode/syslog";
import {
  type Endpoint,
  type EndpointCounters,
  type EndpointSink,
  type EndpointStatus,
  portTrouble,
} from "../../domains/intake/arrivals/endpoint.js";
import { nowUs } from "../../kernel/clock.js";

export interface TlsOptions {
  readonly key: string;
  readonly cert: string;
  /** Certificates of senders, by SHA-256 fingerprint in hex: the address of the sender each one is. */
  readonly clients: Readonly<Record<string, string>>;
  /** Peers without one of those certificates are refused. */
  readonly clientsOnly: boolean;
}

export interface TcpOptions {
  readonly host: string;
  readonly port: number;
  readonly maxMessageBytes: number;
  readonly maxConnections: number;
  readonly idleSeconds: number;
  readonly tls?: TlsOptions;
}

/** Connections of one peer at once; of one that nobody admitted, few and short ones. */
const MOST_OF_PEER = 100;
const MOST_OF_STRANGER = 4;
const STRANGER_SECONDS = 60;

/** Syslog over TCP (RFC 6587), framing chosen per connection; over TLS (RFC 5425) with a certificate. */
export class TcpEndpoint implements Endpoint {
  private readonly server: Server;
  private readonly sockets = new Set<Socket>();
  /** Connections open now, by peer. */
  private readonly byPeer = new Map<string, number>();
  private state: EndpointStatus["state"] = "stopped";
  private detail = "";
  readonly counters: EndpointCounters = {
    connections: 0,
    messages: 0,
    bytes: 0,
    "cut: message too long": 0,
    "closed: bad framing": 0,
    "closed: idle": 0,
    "closed by peer inside a message": 0,
    "refused: too many connections": 0,
  };

  constructor(
    readonly name: string,
    private readonly options: TcpOptions,
    private readonly sink: EndpointSink,
  ) {
    const { tls } = options;
    this.server = tls
      ? createTlsServer(
          {
            key: tls.key,
            cert: tls.cert,
            minVersion: "TLSv1.2",
            requestCert: Object.keys(tls.clients).length > 0,
            // a certificate is known by its fingerprint, whoever signed it
            rejectUnauthorized: false,
          },
          (socket) => this.accept(socket),
        )
      : createServer((socket) => this.accept(socket));
    this.server.on("tlsClientError", (_e, socket) => {
      this.counters["refused: TLS handshake failed"] = (this.counters["refused: TLS handshake failed"] ?? 0) + 1;
      socket.destroy();
    });
    this.server.maxConnections = options.maxConnections;
    this.server.on("drop", () => this.counters["refused: too many connections"]!++);
  }

  start(): Promise<void> {
    return new Promise((resolve, reject) => {
      this.server.once("error", (e: NodeJS.ErrnoException) => {
        this.state = "failed";
        this.detail = portTrouble("TCP", this.options.port, e.code) ?? e.message;
        reject(new Error(this.detail));
      });
      this.server.listen({ host: this.options.host, port: this.options.port }, () => {
        this.state = "listening";
        resolve();
      });
    });
  }

  stop(): Promise<void> {
    this.state = "stopped";
    for (const socket of this.sockets) socket.destroy();
    return new Promise((resolve) => this.server.close(() => resolve()));
  }

  status(): EndpointStatus {
    const address = this.server.address();
    const port = typeof address === "object" && address !== null ? address.port : this.options.port;
    return {
      name: this.name,
      transport: this.options.tls ? "tls" : "tcp",
      address: this.options.host,
      port,
      state: this.state,
      detail: this.detail,
      counters: { ...this.counters, "open connections": this.sockets.size },
    };
  }

  /** Who speaks: by its certificate where that is one of ours, else by its address; null: not to be heard. */
  private peerOf(socket: Socket): string | null {
    const address = canonicalAddress((socket.remoteAddress ?? "").split("%")[0]!);
    const { tls } = this.options;
    if (!tls || !(socket instanceof TLSSocket)) return address;
    const fingerprint = socket.getPeerCertificate().fingerprint256?.replaceAll(":", "").toLowerCase();
    const known = fingerprint === undefined ? undefined : tls.clients[fingerprint];
    if (known !== undefined) return canonicalAddress(known);
    if (!tls.clientsOnly) return address;
    this.counters["refused: unknown certificate"] = (this.counters["refused: unknown certificate"] ?? 0) + 1;
    return null;
  }

  private endStranger(socket: Socket, peer: string): void {
    if (this.sink.isAdmitted(peer)) return;
    this.count("closed: not admitted");
    socket.end();
  }

  private count(what: string): void {
    this.counters[what] = (this.counters[what] ?? 0) + 1;
  }

  private accept(socket: Socket): void {
    const peer = this.peerOf(socket);
    if (peer === null) {
      socket.destroy();
      return;
    }
    const own = this.byPeer.get(peer) ?? 0;
    const isKnown = this.sink.isAdmitted(peer);
    if (own >= (isKnown ? MOST_OF_PEER : MOST_OF_STRANGER)) {
      this.count("refused: too many connections of one peer");
      socket.destroy();
      return;
    }
    this.byPeer.set(peer, own + 1);
    this.counters.connections!++;
    this.sockets.add(socket);
    const framing = new SyslogFraming(this.options.maxMessageBytes);
    const take = ({ bytes, lostBytes, missingBytes }: Frame) => {
      this.counters.messages!++;
      if (lostBytes > 0) this.counters["cut: message too long"]!++;
      const cut = lostBytes > 0 || missingBytes > 0;
      this.sink.take({
        protocol: "syslog",
        endpoint: this.name,
        peer,
        receivedUs: nowUs(),
        bytes,
        held: false,
        ...(cut ? { cut } : {}),
      });
    };
    socket.setTimeout(Math.min(this.options.idleSeconds, isKnown ? Number.POSITIVE_INFINITY : STRANGER_SECONDS) * 1000);
    // who has not been admitted holds no place for long
    const patience = isKnown ? null : setTimeout(() => this.endStranger(socket, peer), STRANGER_SECONDS * 1000);
    socket.on("data", (chunk) => {
      this.counters.bytes! += chunk.length;
      for (const frame of framing.push(chunk)) take(frame);
      if (framing.fault) {
        this.counters["closed: bad framing"]!++;
        this.sink.lost(this.name, `bad framing from ${peer}: ${framing.fault.message}`, 1);
        socket.destroy();
      } else if (this.sink.behind) {
        // TCP can wait: the peer is slowed down instead of losing anything
        socket.pause();
        setTimeout(() => socket.resume(), 50);
      }
    });
    socket.on("timeout", () => {
      this.counters["closed: idle"]!++;
      socket.destroy();
    });
    socket.on("error", () => socket.destroy());
    socket.on("close", () => {
      if (patience) clearTimeout(patience);
      const left = (this.byPeer.get(peer) ?? 1) - 1;
      if (left > 0) this.byPeer.set(peer, left);
      else this.byPeer.delete(peer);
      const rest = framing.fault === null ? framing.end() : null;
      if (rest) {
        // with octet counting the message is known to be cut; a last line without its end is whole to most senders
        if (rest.missingBytes > 0) this.counters["closed by peer inside a message"]!++;
        take(rest);
      }
      this.sockets.delete(socket);
    });
  }
}
