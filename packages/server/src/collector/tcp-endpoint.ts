import { createServer, type Server, type Socket } from "node:net";
import { canonicalAddress } from "@halvik/core/net";
import { SyslogFraming } from "@halvik/core/syslog";
import { nowUs } from "../config/clock.js";
import type { Endpoint, EndpointCounters, EndpointSink, EndpointStatus } from "./endpoint.js";

export interface TcpOptions {
  readonly host: string;
  readonly port: number;
  readonly maxMessageBytes: number;
  readonly maxConnections: number;
  readonly idleSeconds: number;
}

/** Syslog over TCP (RFC 6587), framing chosen per connection. */
export class TcpEndpoint implements Endpoint {
  private readonly server: Server;
  private readonly sockets = new Set<Socket>();
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
    private readonly sink: EndpointSink & { readonly behind: boolean },
  ) {
    this.server = createServer((socket) => this.accept(socket));
    this.server.maxConnections = options.maxConnections;
    this.server.on("drop", () => this.counters["refused: too many connections"]!++);
  }

  start(): Promise<void> {
    return new Promise((resolve, reject) => {
      this.server.once("error", (e: NodeJS.ErrnoException) => {
        this.state = "failed";
        this.detail =
          e.code === "EADDRINUSE"
            ? `TCP port ${this.options.port} is taken by another program; choose one with HALVIK_SYSLOG_TCP_PORT`
            : e.message;
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
      transport: "tcp",
      address: this.options.host,
      port,
      state: this.state,
      detail: this.detail,
      counters: { ...this.counters, "open connections": this.sockets.size },
    };
  }

  private accept(socket: Socket): void {
    const peer = canonicalAddress((socket.remoteAddress ?? "").split("%")[0]!);
    if (peer === null) {
      socket.destroy();
      return;
    }
    this.counters.connections!++;
    this.sockets.add(socket);
    const framing = new SyslogFraming(this.options.maxMessageBytes);
    const take = (bytes: Uint8Array, lostBytes: number) => {
      this.counters.messages!++;
      if (lostBytes > 0) this.counters["cut: message too long"]!++;
      this.sink.take({ endpoint: this.name, peer, receivedUs: nowUs(), bytes, held: false });
    };
    socket.setTimeout(this.options.idleSeconds * 1000);
    socket.on("data", (chunk) => {
      this.counters.bytes! += chunk.length;
      for (const frame of framing.push(chunk)) take(frame.bytes, frame.lostBytes);
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
      const rest = framing.fault === null ? framing.end() : null;
      if (rest) {
        // with octet counting the message is known to be cut; a last line without its end is whole to most senders
        if (framing.framing === "counted") this.counters["closed by peer inside a message"]!++;
        take(rest.bytes, rest.lostBytes);
      }
      this.sockets.delete(socket);
    });
  }
}
