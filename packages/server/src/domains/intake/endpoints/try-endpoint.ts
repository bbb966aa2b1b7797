import { createSocket } from "node:dgram";
import { connect, isIP, type Socket } from "node:net";
import { connect as connectTls } from "node:tls";
import { TRIED_KINDS } from "@halvik/contract/kinds";
import { PDU, writeCommunityMessage, writePdu } from "@halvik/core/decode/snmp";
import { nowUs } from "../../../kernel/clock.js";
import { AppError } from "../../../kernel/http/errors.js";
import type { EndpointConfig } from "./repository.js";

const WITHIN_MS = 5_000;
/** user.notice (RFC 5424 section 6.2.1). */
const PRI = 13;

/** What a test message says. One line, whoever it is that tries. */
const testMessage = (who: string): Buffer =>
  Buffer.from(`<${PRI}>halvik-test: a test message, sent from Intake by ${who.replace(/\p{Cc}/gu, " ")}`, "utf8");

/** The community of a test notification: it has to be admitted like any other. */
const TEST_COMMUNITY = "halvik-test";

/** coldStart (RFC 3418) by SNMP v2c. */
const testTrap = (): Uint8Array =>
  writeCommunityMessage(
    "v2c",
    TEST_COMMUNITY,
    writePdu(PDU.trap, Math.floor(nowUs() / 1_000) % 0x7fff_ffff, [
      { oid: "1.3.6.1.2.1.1.3.0", value: { type: "timeticks", value: 42n } },
      { oid: "1.3.6.1.6.3.1.1.4.1.0", value: { type: "object identifier", value: "1.3.6.1.6.3.1.1.5.1" } },
    ]),
  );

/** One flow between two addresses for documentation (RFC 5737), as NetFlow version 5: a header of 24 octets and a record of 48. */
function testFlow(): Buffer {
  const datagram = Buffer.alloc(24 + 48);
  const uptimeMs = 60_000;
  datagram.writeUInt16BE(5, 0);
  datagram.writeUInt16BE(1, 2);
  datagram.writeUInt32BE(uptimeMs, 4);
  datagram.writeUInt32BE(Math.floor(nowUs() / 1e6), 8);
  const record = datagram.subarray(24);
  record.set([192, 0, 2, 1], 0);
  record.set([192, 0, 2, 2], 4);
  record.writeUInt16BE(1, 12);
  record.writeUInt16BE(2, 14);
  record.writeUInt32BE(1, 16);
  record.writeUInt32BE(60, 20);
  record.writeUInt32BE(uptimeMs - 1_000, 24);
  record.writeUInt32BE(uptimeMs, 28);
  record.writeUInt16BE(40_000, 32);
  record.writeUInt16BE(443, 34);
  record[38] = 6;
  return datagram;
}

/**
 * Sends one message to an endpoint as a device would, from this machine.
 * @param certificate what an endpoint of TLS shows (PEM)
 * @throws {AppError} where the kind of endpoint cannot be tried so, or nobody hears
 */
export async function tryEndpoint(
  { kind, host, port, settings }: EndpointConfig,
  who: string,
  certificate: string | null,
): Promise<void> {
  // where all addresses are listened at, one's own is the nearest
  const at = host === "0.0.0.0" ? "127.0.0.1" : host === "::" ? "::1" : host;
  const message = testMessage(who);
  // octet counting (RFC 6587 section 3.4.1, RFC 5425 section 4.3)
  const frame = () => Buffer.concat([Buffer.from(`${message.length} `), message]);
  if (kind === "syslog-tls" && settings.clientsOnly)
    throw new AppError(
      "BAD_REQUEST",
      "this endpoint hears only who shows a certificate of its list: a test message shows none",
    );
  switch (kind) {
    case "syslog-udp":
      return sendDatagram(at, port, message);
    case "syslog-tcp":
      return sendFrame(() => connect({ host: at, port }), "connect", frame());
    case "syslog-tls":
      // it is this certificate or nobody, whatever name it is for
      return sendFrame(
        () => connectTls({ host: at, port, ca: certificate ?? [], checkServerIdentity: () => undefined }),
        "secureConnect",
        frame(),
      );
    case "snmp":
      return sendDatagram(at, port, testTrap());
    case "flow":
      return sendDatagram(at, port, testFlow());
    default:
      throw new AppError(
        "BAD_REQUEST",
        `expected an endpoint of ${TRIED_KINDS.join(", ")}: others cannot be tried from here`,
      );
  }
}

function sendDatagram(host: string, port: number, message: Uint8Array): Promise<void> {
  const socket = createSocket(isIP(host) === 6 ? "udp6" : "udp4");
  return new Promise<void>((done, failed) => {
    socket.once("error", failed);
    socket.send(message, port, host, (e) => (e ? failed(e) : done()));
  })
    .catch(notHeard)
    .finally(() => socket.close());
}

function sendFrame(open: () => Socket, opened: "connect" | "secureConnect", frame: Buffer): Promise<void> {
  return new Promise<void>((done, failed) => {
    const socket = open();
    socket.setTimeout(WITHIN_MS, () => socket.destroy(new Error(`no connection within ${WITHIN_MS / 1_000} s`)));
    socket.once("error", failed);
    socket.once("close", () => done());
    socket.once(opened, () => socket.end(frame));
    socket.resume();
  }).catch(notHeard);
}

const notHeard = (e: Error): never => {
  throw new AppError("CONFLICT", `nobody hears there: ${e.message}`);
};
