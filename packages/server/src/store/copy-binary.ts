import { addressBytes, ipv4Number } from "@halvik/core/base/net";

/** Column types the encoder knows; their wire forms are PostgreSQL's binary ones. */
export type CopyType =
  | "int8"
  | "int4"
  | "int2"
  | "text"
  | "inet"
  | "jsonb"
  | "bytea"
  | "text[]"
  | "inet[]"
  | "record id"
  | "id text";

/** Values of a "record id": µs at storage and collector number, kept apart since their product exceeds 2^53. */
export interface IdParts {
  readonly us: number;
  readonly collector: number;
}

const SIGNATURE = Buffer.from("PGCOPY\n\xff\r\n\0\0\0\0\0\0\0\0\0", "latin1");
const OID_TEXT = 25;
const OID_INET = 869;

/** Builds the body of `COPY … FROM STDIN (FORMAT binary)` (PostgreSQL documentation, COPY, "Binary Format"). */
export class CopyEncoder {
  private buffer: Buffer;
  private at: number;

  constructor(
    private readonly types: readonly CopyType[],
    initialBytes = 1 << 20,
  ) {
    this.buffer = Buffer.allocUnsafe(initialBytes);
    this.at = 0;
    this.restart();
  }

  /** Begins a new body in the same memory; the one before must have been sent. */
  restart(): void {
    SIGNATURE.copy(this.buffer);
    this.at = SIGNATURE.length;
  }

  /**
   * One row; a value is null or fits its column's type. Room is made once a row and numbers are written byte by byte: the
   * checks of the Buffer's own methods cost more than the writing.
   */
  row(values: readonly unknown[]): void {
    const { types } = this;
    let room = 2 + types.length * MAX_FIXED_OCTETS;
    for (const value of values) if (typeof value === "string") room += value.length * 3;
    this.room(room);
    let { buffer, at } = this;
    at = put16(buffer, at, types.length);
    for (let i = 0; i < types.length; i++) {
      const value = values[i];
      if (value === null || value === undefined) {
        buffer[at++] = 255;
        buffer[at++] = 255;
        buffer[at++] = 255;
        buffer[at++] = 255;
        continue;
      }
      switch (types[i]!) {
        case "int2":
          at = put16(buffer, put32(buffer, at, 2), value as number);
          break;
        case "int4":
          at = put32(buffer, put32(buffer, at, 4), value as number);
          break;
        case "int8": {
          if (typeof value === "bigint") {
            at = buffer.writeBigInt64BE(value, put32(buffer, at, 8));
            break;
          }
          const n = value as number;
          const high = Math.floor(n / 0x1_0000_0000);
          at = put32(buffer, put32(buffer, put32(buffer, at, 8), high), n - high * 0x1_0000_0000);
          break;
        }
        case "record id": {
          // (us × 1024 + collector) as two halves, without a bigint per row
          const { us, collector } = value as IdParts;
          const high = Math.floor(us / 0x40_0000);
          at = put32(buffer, put32(buffer, put32(buffer, at, 8), high), (us - high * 0x40_0000) * 1024 + collector);
          break;
        }
        case "id text":
          at = buffer.writeBigInt64BE(BigInt(value as string), put32(buffer, at, 8));
          break;
        case "text":
          at = putText(buffer, at, value as string);
          break;
        case "inet":
          at = putInet(buffer, at, value as string);
          break;
        default:
          // of any size: these make room for themselves, and for the rest of the row after them
          this.at = at;
          this.sized(types[i]!, value);
          this.room(room);
          ({ buffer, at } = this);
      }
    }
    this.at = at;
  }

  /** What has been written since the last piece was taken; rows go on in the same memory. */
  takePiece(): Buffer {
    const piece = Buffer.from(this.buffer.subarray(0, this.at));
    this.at = 0;
    return piece;
  }

  /** What has been written since the last piece was taken, and the end. */
  finish(): Buffer {
    this.room(2);
    this.at = put16(this.buffer, this.at, -1);
    return this.buffer.subarray(0, this.at);
  }

  private sized(type: CopyType, value: unknown): void {
    switch (type) {
      case "bytea": {
        const bytes = value as Uint8Array;
        this.room(4 + bytes.length);
        this.at = put32(this.buffer, this.at, bytes.length);
        this.buffer.set(bytes, this.at);
        this.at += bytes.length;
        return;
      }
      case "jsonb": {
        const json = JSON.stringify(value);
        this.room(5 + json.length * 3);
        const start = this.at;
        this.buffer[start + 4] = 1;
        this.at = start + 5 + this.buffer.write(json, start + 5, "utf8");
        put32(this.buffer, start, this.at - start - 4);
        return;
      }
      case "text[]":
        this.array(value as readonly string[], OID_TEXT, putText);
        return;
      case "inet[]":
        this.array(value as readonly string[], OID_INET, putInet);
        return;
      default:
        throw new Error(`${type}: not a type of any size`);
    }
  }

  private array(
    values: readonly string[],
    elementOid: number,
    put: (buffer: Buffer, at: number, value: string) => number,
  ): void {
    let room = 24;
    for (const value of values) room += MAX_FIXED_OCTETS + value.length * 3;
    this.room(room);
    const { buffer } = this;
    const start = this.at;
    let at = start + 4;
    at = put32(buffer, at, values.length === 0 ? 0 : 1);
    at = put32(buffer, at, 0);
    at = put32(buffer, at, elementOid);
    if (values.length > 0) {
      at = put32(buffer, at, values.length);
      at = put32(buffer, at, 1);
      for (const value of values) at = put(buffer, at, value);
    }
    put32(buffer, start, at - start - 4);
    this.at = at;
  }

  private room(bytes: number): void {
    if (this.at + bytes <= this.buffer.length) return;
    const bigger = Buffer.allocUnsafe(Math.max(this.buffer.length * 2, this.at + bytes));
    this.buffer.copy(bigger, 0, 0, this.at);
    this.buffer = bigger;
  }
}

/** The most a value takes beside its text: length, and an IPv6 address with its header. */
const MAX_FIXED_OCTETS = 24;
/** Up to here a loop over ASCII is faster than the call into the runtime. */
const SHORT_TEXT = 48;

function put16(buffer: Buffer, at: number, n: number): number {
  buffer[at] = n >> 8;
  buffer[at + 1] = n;
  return at + 2;
}

function put32(buffer: Buffer, at: number, n: number): number {
  buffer[at] = n >>> 24;
  buffer[at + 1] = n >>> 16;
  buffer[at + 2] = n >>> 8;
  buffer[at + 3] = n;
  return at + 4;
}

function putText(buffer: Buffer, start: number, text: string): number {
  let at = start + 4;
  const { length } = text;
  let i = 0;
  if (length <= SHORT_TEXT)
    for (; i < length; i++) {
      const c = text.charCodeAt(i);
      if (c > 127) break;
      buffer[at++] = c;
    }
  if (i < length) at = start + 4 + buffer.write(text, start + 4, "utf8");
  put32(buffer, start, at - start - 4);
  return at;
}

function putInet(buffer: Buffer, start: number, address: string): number {
  // most addresses are of IPv4: a list of octets for each costs more than all of the row
  if (!address.includes(":")) return put32(buffer, inetHead(buffer, start, 4), ipv4Number(address));
  const bytes = addressBytes(address);
  let at = inetHead(buffer, start, bytes.length);
  for (const b of bytes) buffer[at++] = b;
  return at;
}

/** Family (PGSQL_AF_INET 2, INET6 3), prefix length, is_cidr, length. */
function inetHead(buffer: Buffer, start: number, octets: number): number {
  const at = put32(buffer, start, 4 + octets);
  buffer[at] = octets === 4 ? 2 : 3;
  buffer[at + 1] = octets * 8;
  buffer[at + 2] = 0;
  buffer[at + 3] = octets;
  return at + 4;
}
