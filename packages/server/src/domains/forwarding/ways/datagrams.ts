import { createSocket, type Socket } from "node:dgram";
import { lookup } from "node:dns/promises";
import { isIP } from "node:net";
import type { Arrival } from "../../intake/arrivals/arrival.js";
import { isLinkLocal, RefusedForGood, type Way } from "./way.js";

/** Where nobody listens, the answer of the receiver's machine (ICMP, RFC 1122 section 4.1.3.3) comes within this. */
const REFUSAL_MS = 15;
/** Sent before it is looked whether they were refused. */
const AT_ONCE = 250;

/** Datagrams, one for each arrival, octet for octet. UDP tells nothing back but that a port is closed; then none of the last ones counts as delivered. */
export class Datagrams implements Way {
  private socket: Socket | null = null;
  private refusal: Error | null = null;

  constructor(
    private readonly host: string,
    private readonly port: number,
    private readonly octetsOf: (arrival: Arrival) => Uint8Array,
  ) {}

  async deliver(arrivals: readonly Arrival[]): Promise<void> {
    const socket = this.socket ?? (await this.open());
    for (let from = 0; from < arrivals.length; from += AT_ONCE) {
      for (const arrival of arrivals.slice(from, from + AT_ONCE)) await this.send(socket, this.octetsOf(arrival));
      await new Promise((done) => setTimeout(done, REFUSAL_MS));
      if (this.refusal !== null) {
        const refused = this.refusal;
        this.close();
        throw refused;
      }
    }
  }

  private send(socket: Socket, octets: Uint8Array): Promise<void> {
    return new Promise((done, failed) => {
      socket.send(octets, (e) => {
        if (e === null) done();
        else {
          // larger than a datagram can be: it never fits
          if ((e as NodeJS.ErrnoException).code === "EMSGSIZE") return failed(new RefusedForGood(e.message));
          this.close();
          failed(e);
        }
      });
    });
  }

  private async open(): Promise<Socket> {
    const { address } = isIP(this.host) === 0 ? await lookup(this.host) : { address: this.host };
    if (isLinkLocal(address)) throw new Error(`${address} is of the link alone: nothing is sent there`);
    const socket = createSocket(isIP(address) === 6 ? "udp6" : "udp4");
    this.refusal = null;
    socket.on("error", (e) => {
      this.refusal = e;
    });
    // what is refused is only told to a socket that is connected
    await new Promise<void>((done, failed) => {
      socket.once("error", failed);
      socket.connect(this.port, address, () => {
        socket.off("error", failed);
        done();
      });
    });
    this.socket = socket;
    return socket;
  }

  close(): void {
    const { socket } = this;
    this.socket = null;
    if (socket === null) return;
    try {
      socket.close();
    } catch {
      // closed already by what went wrong
    }
  }
}
