import { createSocket } from "node:dgram";
import { connect as connectTcp, isIP, type Socket } from "node:net";
import { hostname } from "node:os";
import { connect as connectTls } from "node:tls";
import { octetCounted, type SyslogChannel, syslogLine } from "@halvik/core/respond/notify";
import { allowedAddress } from "./outgoing-addresses.js";
import type { Outgoing, Sent } from "./way.js";

const TIMEOUT_MS = 20_000;

/** What sending to a syslog receiver goes by. */
export interface SyslogSending {
  readonly channel: SyslogChannel;
  /** Blocks of inside addresses that may be sent to. */
  readonly allowed: readonly string[];
  readonly nowUs: () => number;
}

/** Sends a message as one of syslog: over UDP (RFC 5426), which says nothing back, or over a connection of its own (RFC 6587, RFC 5425). */
export async function sendSyslog(sending: SyslogSending, { id, tells, write, about }: Outgoing): Promise<Sent> {
  const { channel, allowed, nowUs } = sending;
  try {
    const found = await allowedAddress(channel.host, allowed);
    if ("refused" in found) return { ok: false, why: found.refused, permanent: true };
    const { address } = found;
    const line = Buffer.from(syslogLine({ id, tells }, write(null), about, hostname(), nowUs()), "utf8");
    if (channel.transport === "udp") await sendDatagram(line, channel.port, address);
    else await sendOverStream(Buffer.concat([Buffer.from(octetCounted(line)), line]), channel, address);
    return { ok: true };
  } catch (e) {
    return { ok: false, why: (e as Error).message.slice(0, 400), permanent: false };
  }
}

function sendDatagram(line: Buffer, port: number, address: string): Promise<void> {
  const socket = createSocket(isIP(address) === 6 ? "udp6" : "udp4");
  return new Promise<void>((resolve, reject) => {
    socket.once("error", reject);
    socket.send(line, port, address, (e) => (e ? reject(e) : resolve()));
  }).finally(() => socket.close());
}

/** Ends the stream and waits until the receiver has ended it too: what it has not read it cannot have. */
function sendOverStream(frame: Buffer, { transport, host, port }: SyslogChannel, address: string): Promise<void> {
  return new Promise((resolve, reject) => {
    const socket: Socket =
      transport === "tls"
        ? connectTls({ host: address, port, ...(isIP(host) === 0 ? { servername: host } : {}) })
        : connectTcp({ host: address, port });
    const late = setTimeout(() => socket.destroy(new Error(`no end within ${TIMEOUT_MS / 1_000} s`)), TIMEOUT_MS);
    socket.once("error", reject);
    socket.once("close", (failed) => {
      clearTimeout(late);
      if (!failed) resolve();
    });
    socket.resume();
    socket.once(transport === "tls" ? "secureConnect" : "connect", () => socket.end(frame));
  });
}
