import { type ByteReader, DecodeError } from "../../base/bytes/index.js";
import { addressFromBytes } from "../../base/net/index.js";
import { readInteger, readOid, readTlv, readUnsigned, TAG } from "./ber.js";
import { integer, octets, oid, tlv } from "./ber-writer.js";

/** The value of a variable binding (RFC 2578 section 7.1, RFC 3416 section 3), without loss. */
export type SnmpValue =
  | { readonly type: "integer"; readonly value: bigint }
  | { readonly type: "octet string"; readonly value: Uint8Array }
  | { readonly type: "object identifier"; readonly value: string }
  | { readonly type: "ip address"; readonly value: string }
  | { readonly type: "counter32" | "gauge32" | "timeticks" | "counter64" | "uinteger32"; readonly value: bigint }
  | { readonly type: "float"; readonly value: number; readonly raw: Uint8Array }
  | { readonly type: "opaque"; readonly value: Uint8Array }
  | { readonly type: "null" | "no such object" | "no such instance" | "end of mib view" };

export interface VarBind {
  readonly oid: string;
  readonly value: SnmpValue;
}

export function readValue(r: ByteReader): SnmpValue {
  const at = r.offset;
  const { tag, body } = readTlv(r, "value");
  switch (tag) {
    case TAG.integer:
      return { type: "integer", value: readInteger(body, "integer") };
    case TAG.octetString:
      return { type: "octet string", value: body.slice(body.left, "octet string") };
    case TAG.oid:
      return { type: "object identifier", value: readOid(body, "object identifier") };
    case TAG.ipAddress:
      if (body.left !== 4) throw new DecodeError("BAD_LENGTH", at, `IP address: expected 4 bytes, got ${body.left}`);
      return { type: "ip address", value: addressFromBytes(body.slice(4, "IP address")) };
    case TAG.counter32:
      return { type: "counter32", value: readUnsigned(body, 32, "counter32") };
    case TAG.gauge32:
      return { type: "gauge32", value: readUnsigned(body, 32, "gauge32") };
    case TAG.timeTicks:
      return { type: "timeticks", value: readUnsigned(body, 32, "timeticks") };
    case TAG.uinteger32:
      return { type: "uinteger32", value: readUnsigned(body, 32, "uinteger32") };
    case TAG.counter64:
      return { type: "counter64", value: readUnsigned(body, 64, "counter64") };
    case TAG.opaque:
      return readOpaque(body.slice(body.left, "opaque"));
    case TAG.null:
      return { type: "null" };
    case TAG.noSuchObject:
      return { type: "no such object" };
    case TAG.noSuchInstance:
      return { type: "no such instance" };
    case TAG.endOfMibView:
      return { type: "end of mib view" };
    default:
      throw new DecodeError("BAD_VALUE", at, `value: expected a type of SNMP, got tag 0x${tag.toString(16)}`);
  }
}

/** Opaque-wrapped float, 9f 78 04 and IEEE 754 (common practice of agents; no source among the RFCs). */
function readOpaque(bytes: Uint8Array): SnmpValue {
  if (bytes.length === 7 && bytes[0] === 0x9f && bytes[1] === 0x78 && bytes[2] === 4)
    return { type: "float", value: new DataView(bytes.buffer, bytes.byteOffset + 3, 4).getFloat32(0), raw: bytes };
  return { type: "opaque", value: bytes };
}

export function writeValue(v: SnmpValue): Uint8Array {
  switch (v.type) {
    case "integer":
      return integer(v.value);
    case "octet string":
      return octets(v.value);
    case "object identifier":
      return oid(v.value);
    case "ip address":
      return tlv(TAG.ipAddress, Uint8Array.from(v.value.split(".").map(Number)));
    case "counter32":
      return integer(v.value, TAG.counter32);
    case "gauge32":
      return integer(v.value, TAG.gauge32);
    case "timeticks":
      return integer(v.value, TAG.timeTicks);
    case "uinteger32":
      return integer(v.value, TAG.uinteger32);
    case "counter64":
      return integer(v.value, TAG.counter64);
    case "float":
      return tlv(TAG.opaque, v.raw);
    case "opaque":
      return tlv(TAG.opaque, v.value);
    case "null":
      return tlv(TAG.null);
    case "no such object":
      return tlv(TAG.noSuchObject);
    case "no such instance":
      return tlv(TAG.noSuchInstance);
    case "end of mib view":
      return tlv(TAG.endOfMibView);
  }
}
