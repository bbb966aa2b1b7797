import { ByteReader, DecodeError } from "../../base/bytes/index.js";
import { expectTlv, readInteger32, readTlv, TAG } from "./ber.js";
import { integer, octets, sequence } from "./ber-writer.js";
import { readPdu, type SnmpPdu } from "./pdu.js";

const USM = 3;
const LATIN1 = new TextDecoder("latin1");

/** Parts of an SNMPv3 message that USM works on (RFC 3412 section 6, RFC 3414 section 2.4). */
export interface V3Envelope {
  readonly msgId: number;
  readonly maxSize: number;
  readonly auth: boolean;
  readonly priv: boolean;
  readonly reportable: boolean;
  readonly engineId: Uint8Array;
  readonly engineBoots: number;
  readonly engineTime: number;
  readonly user: string;
  readonly authParameters: Uint8Array;
  /** Where the authentication parameters lie in the message: they are zero while it is authenticated. */
  readonly authOffset: number;
  readonly privParameters: Uint8Array;
  /** Encrypted scoped PDU, or null when it came in the open. */
  readonly encrypted: Uint8Array | null;
  readonly scoped: Uint8Array | null;
}

export type SnmpMessage =
  | { readonly version: "v1" | "v2c"; readonly community: string; readonly pdu: SnmpPdu }
  | { readonly version: "v3"; readonly envelope: V3Envelope };

/**
 * The outside of an SNMP message; v3 is opened by `usm.ts`.
 * @throws {DecodeError} with the byte at which it cannot be read; NOT_NOTIFICATION for requests, responses and reports
 */
export function readMessage(bytes: Uint8Array): SnmpMessage {
  const outer = new ByteReader(bytes);
  const r = expectTlv(outer, TAG.sequence, "message");
  if (outer.left > 0)
    throw new DecodeError("BAD_LENGTH", outer.offset, `message: expected its end, got ${outer.left} more bytes`);
  const at = r.offset;
  const version = readInteger32(r, "version");
  if (version === 0 || version === 1) {
    const community = expectTlv(r, TAG.octetString, "community");
    return {
      version: version === 0 ? "v1" : "v2c",
      community: LATIN1.decode(community.slice(community.left, "community")),
      pdu: readPdu(r, version === 0),
    };
  }
  if (version !== 3) throw new DecodeError("UNSUPPORTED", at, `version: expected 0 (v1), 1 (v2c) or 3, got ${version}`);
  return { version: "v3", envelope: readV3(r) };
}

function readV3(r: ByteReader): V3Envelope {
  const global = expectTlv(r, TAG.sequence, "msgGlobalData");
  const msgId = readInteger32(global, "msgID");
  const maxSize = readInteger32(global, "msgMaxSize");
  const flags = expectTlv(global, TAG.octetString, "msgFlags").u8("msgFlags");
  const modelAt = global.offset;
  const model = readInteger32(global, "msgSecurityModel");
  if (model !== USM)
    throw new DecodeError("UNSUPPORTED", modelAt, `msgSecurityModel: expected ${USM} (USM), got ${model}`);
  if ((flags & 3) === 2)
    throw new DecodeError("BAD_VALUE", modelAt, "msgFlags: privacy without authentication (RFC 3412 section 6.4)");
  const s = expectTlv(expectTlv(r, TAG.octetString, "msgSecurityParameters"), TAG.sequence, "USM parameters");
  const bytesOf = (what: string) => {
    const body = expectTlv(s, TAG.octetString, what);
    return { offset: body.offset, bytes: body.slice(body.left, what) };
  };
  const engineId = bytesOf("msgAuthoritativeEngineID").bytes;
  const engineBoots = readInteger32(s, "msgAuthoritativeEngineBoots");
  const engineTime = readInteger32(s, "msgAuthoritativeEngineTime");
  const user = LATIN1.decode(bytesOf("msgUserName").bytes);
  const authentication = bytesOf("msgAuthenticationParameters");
  const privParameters = bytesOf("msgPrivacyParameters").bytes;
  const priv = (flags & 2) !== 0;
  const start = r.offset;
  const data = readTlv(r, "msgData");
  const wanted = priv ? TAG.octetString : TAG.sequence;
  if (data.tag !== wanted)
    throw new DecodeError(
      "BAD_VALUE",
      start,
      `msgData: expected tag 0x${wanted.toString(16)}, got 0x${data.tag.toString(16)}`,
    );
  const contents = data.body.slice(data.body.left, "msgData");
  return {
    msgId,
    maxSize,
    auth: (flags & 1) !== 0,
    priv,
    reportable: (flags & 4) !== 0,
    engineId,
    engineBoots,
    engineTime,
    user,
    authParameters: authentication.bytes,
    authOffset: authentication.offset,
    privParameters,
    encrypted: priv ? contents : null,
    scoped: priv ? null : contents,
  };
}

export interface ScopedPdu {
  readonly contextEngineId: Uint8Array;
  readonly contextName: string;
  readonly pdu: SnmpPdu;
}

/** @param contents of the scoped PDU's sequence (RFC 3412 section 6.8) */
export function readScopedContents(contents: ByteReader): ScopedPdu {
  const engine = expectTlv(contents, TAG.octetString, "contextEngineID");
  const contextEngineId = engine.slice(engine.left, "contextEngineID");
  const name = expectTlv(contents, TAG.octetString, "contextName");
  const contextName = LATIN1.decode(name.slice(name.left, "contextName"));
  return { contextEngineId, contextName, pdu: readPdu(contents, false) };
}

export const writeCommunityMessage = (version: "v1" | "v2c", community: string, pdu: Uint8Array): Uint8Array =>
  sequence(integer(version === "v1" ? 0 : 1), octets(latin1(community)), pdu);

export const latin1 = (text: string): Uint8Array => Uint8Array.from(text, (c) => c.charCodeAt(0) & 255);
