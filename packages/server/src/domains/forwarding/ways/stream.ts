import { connect as connectTcp, isIP, type Socket } from "node:net";
import { connect as connectTls, type TLSSocket } from "node:tls";
import type { ForwardWay } from "@halvik/core/forward";
import { octetCounted } from "@halvik/core/respond/notify";
import type { Arrival } from "../../intake/arrivals/arrival.js";
import { DELIVER_MS, isLinkLocal, type Way } from "./way.js";

type Syslog = Extract<ForwardWay, { is: "syslog" }>;

const LINE_END = Buffer.from("\n");

/**
 * Syslog over one connection that is kept (RFC 6587, RFC 5425). It has no acknowledgement: what was handed to the system counts as delivered, and what was handed over
 * last before a connection broke is sent again.
 */
export class Stream implements Way {
  private socket: Socket | null = null;
  private last: readonly Arrival[] = [];
  private again = false;

  constructor(
    private readonly way: Syslog,
    private readonly octetsOf: (arrival: Arrival) => Uint8Array,
  ) {}

  async deliver(arrivals: readonly Arrival[]): Promise<void> {
    const socket = this.socket ?? (await this.open());
    if (this.again) {
      await this.write(socket, this.last);
      this.again = false;
    }
    await this.write(socket, arrivals);
    this.last = arrivals;
  }

  private write(socket: Socket, arrivals: readonly Arrival[]): Promise<void> {
    const frames = arrivals.flatMap((a) => this.frame(this.octetsOf(a)));
    return new Promise((done, failed) => {
      if (frames.length === 0) return done();
      const late = setTimeout(
        () => socket.destroy(new Error(`nothing was taken for ${DELIVER_MS / 1_000} s`)),
        DELIVER_MS,
      );
      const broken = () => failed(new Error("the connection ended"));
      socket.once("close", broken);
      socket.write(Buffer.concat(frames), (e) => {
        clearTimeout(late);
        socket.off("close", broken);
        if (e) failed(e);
        else done();
      });
    });
  }

  private frame(octets: Uint8Array): Uint8Array[] {
    if (this.way.framing === "counted") return [Buffer.from(octetCounted(octets)), octets];
    // a line end within would make two of it (RFC 6587 section 3.4.2)
    return [octets.map((o) => (o === 10 ? 32 : o)), LINE_END];
  }

  private open(): Promise<Socket> {
    const { transport, host, port, certificate } = this.way;
    return new Promise((done, failed) => {
      const socket: Socket =
        transport === "tls"
          ? connectTls({
              host,
              port,
              minVersion: "TLSv1.2",
              rejectUnauthorized: certificate === null,
              ...(isIP(host) === 0 ? { servername: host } : {}),
            })
          : connectTcp({ host, port });
      const late = setTimeout(
        () => socket.destroy(new Error(`no connection within ${DELIVER_MS / 1_000} s`)),
        DELIVER_MS,
      );
      socket.once("error", failed);
      socket.on("close", () => {
        clearTimeout(late);
        if (this.socket === socket) {
          this.socket = null;
          this.again = true;
        }
      });
      // whoever is told of syslog says nothing back (RFC 6587)
      socket.resume();
      socket.once(transport === "tls" ? "secureConnect" : "connect", () => {
        clearTimeout(late);
        const wrong = isLinkLocal(socket.remoteAddress ?? "")
          ? `${socket.remoteAddress} is of the link alone: nothing is sent there`
          : certificateTrouble(socket, certificate);
        if (wrong !== null) {
          socket.destroy();
          return failed(new Error(wrong));
        }
        socket.off("error", failed);
        socket.on("error", () => undefined);
        socket.setKeepAlive(true, 30_000);
        this.socket = socket;
        done(socket);
      });
    });
  }

  close(): void {
    const { socket } = this;
    this.socket = null;
    socket?.end();
  }
}

/** Whether the certificate shown is another than the one expected. @param expected SHA-256 in hex; null: authorities decide */
export function certificateTrouble(socket: Socket, expected: string | null): string | null {
  if (expected === null || !("getPeerCertificate" in socket)) return null;
  const shown = (socket as TLSSocket).getPeerCertificate().fingerprint256?.replaceAll(":", "").toLowerCase() ?? "none";
  return shown === expected ? null : `it shows another certificate: expected ${expected}, got ${shown}`;
}
