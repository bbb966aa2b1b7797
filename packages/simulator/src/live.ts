import { createSocket, type Socket as UdpSocket } from "node:dgram";
import { createConnection, type Socket } from "node:net";
import { connect as connectTls } from "node:tls";
import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import type { SnmpCrypto } from "@halvik/core/decode/snmp";
import type { Device, FlowExport } from "./devices.js";
import { Forwarder, type ForwarderTarget } from "./forwarder.js";
import { type Sent, Timeline, type TimelineOptions } from "./timeline.js";

export interface LiveTarget {
  readonly host: string;
  readonly syslogUdp: number;
  readonly syslogTcp: number;
  readonly syslogTls: number;
  readonly snmp: number;
  readonly flow: Readonly<Record<FlowExport, number>>;
  /** Where Windows events go; null: nowhere. */
  readonly events: (ForwarderTarget & { readonly bookmarkFile: string }) | null;
}

const TICK_MS = 50;
const RECONNECT_MS = 2_000;
/** A forwarder that was away reads its log back this far at most. */
/** Longer than any story lasts. */
const STORY_MINUTES = 15;
const MAX_BACKLOG_US = US_PER_DAY;
const TEXT = new TextDecoder();

/** Sends real packets over loopback, each device from an address of its own, until told to stop. */
export class LiveDevices {
  private readonly udp = new Map<string, UdpSocket>();
  private readonly tcp = new Map<string, { socket: Socket; open: boolean }>();
  private readonly timeline: Timeline;
  private readonly forwarder: Forwarder | null;
  private waiting: Sent[] = [];
  private minute: number;
  /** Up to when the log was read back: what it holds until then is not said again. */
  private readBackUs: number | null = null;
  private timer: NodeJS.Timeout | null = null;
  sent = 0;
  /** Messages of devices whose connection was not there. */
  unsent = 0;
  /** Informs that were acknowledged. */
  acknowledged = 0;

  constructor(
    private readonly target: LiveTarget,
    private readonly options: TimelineOptions,
    private readonly crypto: SnmpCrypto,
    private readonly nowUs: () => number,
  ) {
    this.timeline = new Timeline(options, crypto);
    this.forwarder = target.events && new Forwarder(target.events, target.events.bookmarkFile);
    this.minute = Math.floor(nowUs() / US_PER_MINUTE);
  }

  start(): void {
    this.catchUp();
    this.timer = setInterval(() => this.tick(), TICK_MS);
  }

  async stop(): Promise<void> {
    if (this.timer) clearInterval(this.timer);
    await this.forwarder?.stop();
    for (const socket of this.udp.values()) socket.close();
    for (const { socket } of this.tcp.values()) socket.destroy();
  }

  /** Windows events since the bookmark: the log kept them while the forwarder was away. */
  private catchUp(): void {
    if (this.forwarder === null) return;
    const now = this.nowUs();
    // without a bookmark it begins with what comes from now on
    const bookmark = this.forwarder.bookmarkUs() ?? now;
    this.readBackUs = now;
    const from = Math.max(bookmark, now - MAX_BACKLOG_US);
    const missed: Sent[] = [];
    // a telling of its own: what counts up in the live one stays without gaps
    const log = new Timeline(this.options, this.crypto);
    // a story is told whole by the minute in which it begins
    const first = Math.floor(from / US_PER_MINUTE) - STORY_MINUTES;
    for (let minute = first; minute <= Math.floor(now / US_PER_MINUTE); minute++)
      for (const s of log.minute(minute)) {
        if (s.protocol !== "windows" || s.arrivesUs <= bookmark) continue;
        if (s.arrivesUs <= now) missed.push(s);
        else if (minute < this.minute) this.waiting.push(s);
      }
    // in order of time, or the bookmark would pass what was not sent yet
    for (const s of missed.sort((a, b) => a.arrivesUs - b.arrivesUs)) this.forward(s);
  }

  private tick(): void {
    const now = this.nowUs();
    // the next minute is prepared ahead, so that none of it comes late
    while (this.minute * US_PER_MINUTE <= now + 2_000_000) {
      this.waiting = [...this.waiting, ...this.timeline.minute(this.minute).filter((s) => this.isToCome(s, now))].sort(
        (a, b) => a.arrivesUs - b.arrivesUs,
      );
      this.minute++;
    }
    const due = this.waiting.findIndex((s) => s.arrivesUs > now);
    const ready = due < 0 ? this.waiting : this.waiting.slice(0, due);
    this.waiting = due < 0 ? [] : this.waiting.slice(due);
    for (const s of ready) this.send(s);
  }

  /** What is over is not sent, but for events, which a log keeps: those since it was read back. */
  private isToCome(s: Sent, now: number): boolean {
    if (s.protocol === "windows" && this.readBackUs !== null) return s.arrivesUs > this.readBackUs;
    return s.arrivesUs >= now - 1_000_000;
  }

  private forward(s: Sent): void {
    this.forwarder?.add(s.device.alias, s.arrivesUs, TEXT.decode(s.payload));
  }

  private send(s: Sent): void {
    const { device, payload } = s;
    if (s.protocol === "windows") this.forward(s);
    else if (s.protocol === "snmp") this.datagram(device, payload, this.target.snmp);
    else if (s.protocol === "flow") this.datagram(device, payload, this.target.flow[device.flows!.protocol]);
    else if (device.transport === "udp") this.datagram(device, payload, this.target.syslogUdp);
    else {
      const connection = this.tcpOf(device);
      if (!connection.open) {
        this.unsent++;
        return;
      }
      connection.socket.write(`${payload.length} `);
      connection.socket.write(payload);
      this.sent++;
    }
  }

  private datagram(device: Device, payload: Uint8Array, port: number): void {
    this.udpOf(device).send(payload, port, this.target.host, () => undefined);
    this.sent++;
  }

  private udpOf(device: Device): UdpSocket {
    let socket = this.udp.get(device.alias);
    if (!socket) {
      socket = createSocket("udp4");
      socket.on("error", () => undefined);
      // only informs are answered
      socket.on("message", () => this.acknowledged++);
      socket.bind({ address: device.alias, port: 0 });
      this.udp.set(device.alias, socket);
    }
    return socket;
  }

  private tcpOf(device: Device): { socket: Socket; open: boolean } {
    const known = this.tcp.get(device.alias);
    if (known) return known;
    const { host } = this.target;
    const tls = device.transport === "tls";
    const plain = createConnection({
      host,
      port: tls ? this.target.syslogTls : this.target.syslogTcp,
      localAddress: device.alias,
    });
    // the demo's collector made its own certificate
    const socket = tls ? connectTls({ socket: plain, rejectUnauthorized: false }) : plain;
    const connection = { socket, open: false };
    this.tcp.set(device.alias, connection);
    socket.once(tls ? "secureConnect" : "connect", () => {
      connection.open = true;
    });
    plain.on("error", () => undefined);
    socket.on("error", () => undefined);
    socket.once("close", () => {
      connection.open = false;
      setTimeout(() => this.tcp.delete(device.alias), RECONNECT_MS);
    });
    return connection;
  }
}
