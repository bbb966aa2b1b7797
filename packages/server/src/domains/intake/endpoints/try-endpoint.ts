import { createSocket } from "node:dgram";
import { connect, isIP } from "node:net";
import { AppError } from "../../../kernel/http/errors.js";
import type { EndpointConfig } from "./repository.js";

const WITHIN_MS = 5_000;
/** user.notice (RFC 5424 section 6.2.1). */
const PRI = 13;

/** What a test message says. One line, whoever it is that tries. */
const testMessage = (who: string): Buffer =>
  Buffer.from(`<${PRI}>halvik-test: a test message, sent from Intake by ${who.replace(/\p{Cc}/gu, " ")}`, "utf8");

/** Sends one message to an endpoint as a device would, from this machine. @throws {AppError} where the kind of endpoint cannot be tried so, or nobody hears */
export async function tryEndpoint({ kind, host, port }: EndpointConfig, who: string): Promise<void> {
  // where all addresses are listened at, one's own is the nearest
  const at = host === "0.0.0.0" ? "127.0.0.1" : host === "::" ? "::1" : host;
  const message = testMessage(who);
  if (kind === "syslog-udp") return sendDatagram(at, port, message);
  if (kind === "syslog-tcp") return sendFrame(at, port, Buffer.concat([Buffer.from(`${message.length} `), message]));
  throw new AppError("BAD_REQUEST", "only endpoints of syslog over UDP or TCP can be tried from here");
}

function sendDatagram(host: string, port: number, message: Buffer): Promise<void> {
  const socket = createSocket(isIP(host) === 6 ? "udp6" : "udp4");
  return new Promise<void>((done, failed) => {
    socket.once("error", failed);
    socket.send(message, port, host, (e) => (e ? failed(e) : done()));
  })
    .catch(notHeard)
    .finally(() => socket.close());
}

function sendFrame(host: string, port: number, frame: Buffer): Promise<void> {
  return new Promise<void>((done, failed) => {
    const socket = connect({ host, port });
    socket.setTimeout(WITHIN_MS, () => socket.destroy(new Error(`no connection within ${WITHIN_MS / 1_000} s`)));
    socket.once("error", failed);
    socket.once("close", () => done());
    socket.once("connect", () => socket.end(frame));
    socket.resume();
  }).catch(notHeard);
}

const notHeard = (e: Error): never => {
  throw new AppError("CONFLICT", `nobody hears there: ${e.message}`);
};
