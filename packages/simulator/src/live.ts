import { createSocket, type Socket as UdpSocket } from "node:dgram";
import { createConnection, type Socket } from "node:net";
import { US_PER_MINUTE } from "@halvik/core/time";
import type { Device } from "./devices.js";
import { minuteOf, type Sent, type TimelineOptions } from "./timeline.js";

export interface LiveTarget {
  readonly host: string;
  readonly udpPort: number;
  readonly tcpPort: number;
}

const TICK_MS = 50;
const RECONNECT_MS = 2_000;

/** Sends real packets over loopback, each device from an address of its own, until told to stop. */
export class LiveDevices {
  private readonly udp = new Map<string, UdpSocket>();
  private readonly tcp = new Map<string, { socket: Socket; open: boolean }>();
  private waiting: Sent[] = [];
  private minute: number;
  private timer: NodeJS.Timeout | null = null;
  sent = 0;
  /** Messages of devices whose TCP connection was not there. */
  unsent = 0;

  constructor(
    private readonly target: LiveTarget,
    private readonly options: TimelineOptions,
    private readonly nowUs: () => number,
  ) {
    this.minute = Math.floor(nowUs() / US_PER_MINUTE);
  }

  start(): void {
    this.timer = setInterval(() => this.tick(), TICK_MS);
  }

  stop(): void {
    if (this.timer) clearInterval(this.timer);
    for (const socket of this.udp.values()) socket.close();
    for (const { socket } of this.tcp.values()) socket.destroy();
  }

  private tick(): void {
    const now = this.nowUs();
    // the next minute is prepared ahead, so that none of it comes late
    while (this.minute * US_PER_MINUTE <= now + 2_000_000) {
      this.waiting = [
        ...this.waiting,
        ...minuteOf(this.minute, this.options).filter((s) => s.arrivesUs >= now - 1_000_000),
      ].sort((a, b) => a.arrivesUs - b.arrivesUs);
      this.minute++;
    }
    const due = this.waiting.findIndex((s) => s.arrivesUs > now);
    const ready = due < 0 ? this.waiting : this.waiting.slice(0, due);
    this.waiting = due < 0 ? [] : this.waiting.slice(due);
    for (const s of ready) this.send(s);
  }

  private send({ device, line }: Sent): void {
    if (device.transport === "udp") {
      this.udpOf(device).send(line, this.target.udpPort, this.target.host, () => undefined);
      this.sent++;
      return;
    }
    const connection = this.tcpOf(device);
    if (!connection.open) {
      this.unsent++;
      return;
    }
    const bytes = Buffer.from(line);
    connection.socket.write(`${bytes.length} `);
    connection.socket.write(bytes);
    this.sent++;
  }

  private udpOf(device: Device): UdpSocket {
    let socket = this.udp.get(device.alias);
    if (!socket) {
      socket = createSocket("udp4");
      socket.on("error", () => undefined);
      socket.bind({ address: device.alias, port: 0 });
      this.udp.set(device.alias, socket);
    }
    return socket;
  }

  private tcpOf(device: Device): { socket: Socket; open: boolean } {
    const known = this.tcp.get(device.alias);
    if (known) return known;
    const socket = createConnection({ host: this.target.host, port: this.target.tcpPort, localAddress: device.alias });
    const connection = { socket, open: false };
    this.tcp.set(device.alias, connection);
    socket.once("connect", () => {
      connection.open = true;
    });
    socket.on("error", () => undefined);
    socket.once("close", () => {
      connection.open = false;
      setTimeout(() => this.tcp.delete(device.alias), RECONNECT_MS);
    });
    return connection;
  }
}
