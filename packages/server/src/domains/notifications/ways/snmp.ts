import { createHash } from "node:crypto";
import { isIP } from "node:net";
import { notificationOf, type SnmpChannel } from "@halvik/core/respond/notify";
import snmp, { type Session, type SessionOptions, type User } from "net-snmp";
import { allowedAddress } from "./outgoing-addresses.js";
import type { Outgoing, Sent } from "./way.js";

/** An inform that is not answered is sent again after so long, twice as late each time: some 7 s in all. */
const TIMEOUT_MS = 1_000;
const RETRIES = 2;
const BACKOFF = 2;
/** RFC 3411 section 5 (SnmpEngineID): an enterprise's own octets; ours is the number for documentation. */
const ENGINE_PREFIX = "80007ed905";
const ENGINE_OCTETS = 8;
const MINUTE_US = 60e6;

/** What sending to an SNMP receiver goes by. */
export interface SnmpSending {
  readonly channel: SnmpChannel;
  /** The community, or the pass phrase that messages are authenticated with. */
  readonly secret: string;
  /** The pass phrase they are encrypted with; empty: they are not. */
  readonly privacySecret: string;
  /** Blocks of inside addresses that may be sent to. */
  readonly allowed: readonly string[];
  /** The name of this machine among those that share one database. */
  readonly node: string;
  readonly nowUs: () => number;
}

/** The engine that traps of v3 come from, as a receiver has to know it: the same for a machine as long as its name stays. */
export const engineIdOf = (node: string): string =>
  ENGINE_PREFIX +
  createHash("sha256")
    .update(node)
    .digest("hex")
    .slice(0, ENGINE_OCTETS * 2);

/** Sends a message as a notification of HALVIK-NOTIFY-MIB: a trap, that nobody answers, or an inform, that has arrived when it is answered. */
export async function sendSnmp(sending: SnmpSending, message: Outgoing): Promise<Sent> {
  const { channel, allowed } = sending;
  let session: Session | null = null;
  try {
    const found = await allowedAddress(channel.host, allowed);
    if ("refused" in found) return { ok: false, why: found.refused, permanent: true };
    const open = openSession(sending, found.address);
    session = open;
    const { oid, bindings } = notificationOf(message, message.write(null), message.about);
    const typed = bindings.map(({ oid: name, value }) => ({ oid: name, type: typeOf(name, value), value }));
    await new Promise<void>((resolve, reject) => {
      open.on("error", reject);
      open[channel.message](oid, typed, (failed) => (failed === null ? resolve() : reject(failed)));
    });
    return { ok: true };
  } catch (e) {
    return { ok: false, why: (e as Error).message.slice(0, 400), permanent: false };
  } finally {
    session?.close();
  }
}

const { OctetString, Integer, Unsigned32, Gauge } = snmp.ObjectType;
/** As the module has them: severities are an enumeration, records a gauge. */
const typeOf = (oid: string, value: string | number): number =>
  typeof value === "string" ? OctetString : oid.endsWith(".7.0") ? Integer : oid.endsWith(".8.0") ? Gauge : Unsigned32;

const HASHES = { sha1: snmp.AuthProtocols.sha, sha256: snmp.AuthProtocols.sha256, sha512: snmp.AuthProtocols.sha512 };

function openSession(sending: SnmpSending, address: string): Session {
  const { channel, secret, privacySecret, node } = sending;
  const options: SessionOptions = {
    trapPort: channel.port,
    transport: isIP(address) === 6 ? "udp6" : "udp4",
    retries: RETRIES,
    timeout: TIMEOUT_MS,
    backoff: BACKOFF,
  };
  if (channel.version === "v2c") return snmp.createSession(address, secret, { ...options, version: snmp.Version2c });
  const level = secret === "" ? "noAuthNoPriv" : privacySecret === "" ? "authNoPriv" : "authPriv";
  const user: User = {
    name: channel.user,
    level: snmp.SecurityLevel[level],
    ...(level === "noAuthNoPriv" ? {} : { authProtocol: HASHES[channel.hash], authKey: secret }),
    ...(level === "authPriv" ? { privProtocol: snmp.PrivProtocols.aes, privKey: privacySecret } : {}),
  };
  const session = snmp.createV3Session(address, user, { ...options, engineID: engineIdOf(node) });
  return channel.message === "trap" ? asAuthority(session, sending.nowUs) : session;
}

/** When this process began: of one that came before it, it is later. */
const BEGAN_MS = Date.now() - performance.now();

/**
 * Of a trap the sender's engine is the authority on time (RFC 3414 section 1.5.1), which the package leaves 0: a receiver that keeps to the
 * window of section 3.2 (7 b) would refuse all but the first 150 s. Boots are the minutes since 1970 at the start of this process: of a later start more.
 */
function asAuthority(session: Session, nowUs: () => number): Session {
  const send = session.send.bind(session);
  session.send = (request, noWait) => {
    const parameters = request.message.msgSecurityParameters;
    if (parameters !== undefined) {
      const beganUs = BEGAN_MS * 1_000;
      parameters.msgAuthoritativeEngineBoots = Math.floor(beganUs / MINUTE_US);
      parameters.msgAuthoritativeEngineTime = Math.max(0, Math.floor((nowUs() - beganUs) / 1e6));
    }
    return send(request, noWait);
  };
  return session;
}
