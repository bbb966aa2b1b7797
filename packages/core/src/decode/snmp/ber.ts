import { type ByteReader, DecodeError } from "../../base/bytes/index.js";

/** BER tags of SNMP (RFC 3416 section 3, RFC 2578 section 7.1, RFC 1155). */
export const TAG = {
  integer: 0x02,
  octetString: 0x04,
  null: 0x05,
  oid: 0x06,
  sequence: 0x30,
  ipAddress: 0x40,
  counter32: 0x41,
  gauge32: 0x42,
  timeTicks: 0x43,
  opaque: 0x44,
  counter64: 0x46,
  uinteger32: 0x47,
  noSuchObject: 0x80,
  noSuchInstance: 0x81,
  endOfMibView: 0x82,
} as const;

/** Longest object identifier (RFC 2578 section 3.5): 128 sub-identifiers. */
const MAX_ARCS = 128;
const MAX_ARC = 4_294_967_295;

/** Reads one tag and length; the contents come as a reader that cannot leave them (X.690 section 8.1). */
export function readTlv(r: ByteReader, what: string): { tag: number; body: ByteReader } {
  const tag = r.u8(what);
  return { tag, body: r.sub(readLength(r, what), what) };
}

/** The contents of an element that must have this tag. */
export function expectTlv(r: ByteReader, tag: number, what: string): ByteReader {
  const at = r.offset;
  const got = readTlv(r, what);
  if (got.tag !== tag)
    throw new DecodeError("BAD_VALUE", at, `${what}: expected tag 0x${hex(tag)}, got 0x${hex(got.tag)} at byte ${at}`);
  return got.body;
}

function readLength(r: ByteReader, what: string): number {
  const at = r.offset;
  const first = r.u8(what);
  if (first < 0x80) return first;
  const octets = first & 0x7f;
  // X.690 8.1.3.6: the indefinite form; RFC 3417 section 8 forbids it
  if (octets === 0)
    throw new DecodeError("BAD_LENGTH", at, `${what}: expected a definite length, got the indefinite form`);
  let length = 0;
  for (let i = 0; i < octets; i++) {
    // leading zeros are legal in the long form
    length = length * 256 + r.u8(what);
    if (length > 0xff_ffff)
      throw new DecodeError("BAD_LENGTH", at, `${what}: expected a length within a datagram, got ${length} or more`);
  }
  return length;
}

/** A signed integer of up to 8 octets (X.690 section 8.3). */
export function readInteger(body: ByteReader, what: string): bigint {
  const at = body.offset;
  const octets = body.left;
  if (octets === 0 || octets > 8)
    throw new DecodeError("BAD_LENGTH", at, `${what}: expected an integer of 1 to 8 bytes, got ${octets}`);
  if (octets <= 6) {
    let small = body.u8(what);
    if (small >= 0x80) small -= 0x100;
    while (body.left > 0) small = small * 256 + body.u8(what);
    return BigInt(small);
  }
  let value = BigInt(body.u8(what));
  if (value >= 0x80n) value -= 0x100n;
  while (body.left > 0) value = value * 256n + BigInt(body.u8(what));
  return value;
}

/** A signed integer that must fit 32 bits: versions, request ids, generic traps. */
export function readInteger32(r: ByteReader, what: string): number {
  const body = expectTlv(r, TAG.integer, what);
  const octets = body.left;
  // the usual lengths without a bigint
  if (octets >= 1 && octets <= 4) {
    let value = body.u8(what);
    if (value >= 0x80) value -= 0x100;
    while (body.left > 0) value = value * 256 + body.u8(what);
    return value;
  }
  const at = body.offset;
  const value = readInteger(body, what);
  if (value < -2147483648n || value > 2147483647n)
    throw new DecodeError("BAD_VALUE", at, `${what}: expected a 32-bit integer, got ${value}`);
  return Number(value);
}

/** An unsigned integer: some agents send a leading zero octet, some do not; both are read as unsigned. */
export function readUnsigned(body: ByteReader, bits: 32 | 64, what: string): bigint {
  const at = body.offset;
  const octets = body.left;
  const most = bits / 8;
  if (octets === 0 || octets > most + 1)
    throw new DecodeError(
      "BAD_LENGTH",
      at,
      `${what}: expected an unsigned integer of 1 to ${most + 1} bytes, got ${octets}`,
    );
  let value: bigint;
  if (octets <= 6) {
    // the usual lengths without a bigint for each octet
    let small = 0;
    while (body.left > 0) small = small * 256 + body.u8(what);
    value = BigInt(small);
  } else {
    value = 0n;
    while (body.left > 0) value = value * 256n + BigInt(body.u8(what));
  }
  if (value >> BigInt(bits) !== 0n)
    throw new DecodeError("BAD_VALUE", at, `${what}: expected an unsigned ${bits}-bit integer, got ${value}`);
  return value;
}

/** An object identifier as dotted decimal (X.690 section 8.19); arcs go to 2^32 − 1. */
export function readOid(body: ByteReader, what: string): string {
  const at = body.offset;
  if (body.left === 0) throw new DecodeError("BAD_LENGTH", at, `${what}: expected an object identifier, got none`);
  let text = "";
  let arcs = 0;
  while (body.left > 0) {
    let arc = 0;
    for (;;) {
      const octet = body.u8(what);
      arc = arc * 128 + (octet & 0x7f);
      // the first sub-identifier is up to 80 more than its second arc
      if (arc > MAX_ARC + 80)
        throw new DecodeError("BAD_VALUE", at, `${what}: expected arcs up to ${MAX_ARC}, got a larger one`);
      if ((octet & 0x80) === 0) break;
    }
    if (arcs === 0) {
      const first = arc < 40 ? 0 : arc < 80 ? 1 : 2;
      text = `${first}.${arc - first * 40}`;
      arcs = 2;
    } else {
      text += `.${arc}`;
      arcs++;
    }
    if (arcs > MAX_ARCS) throw new DecodeError("BAD_VALUE", at, `${what}: expected at most ${MAX_ARCS} arcs, got more`);
  }
  return text;
}

const hex = (n: number): string => n.toString(16).padStart(2, "0");
