import { addressBytes } from "@halvik/core/net";

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

  /** One row; a value is null or fits its column's type. */
  row(values: readonly unknown[]): void {
    this.room(2);
    this.at = this.buffer.writeInt16BE(this.types.length, this.at);
    for (let i = 0; i < this.types.length; i++) this.field(this.types[i]!, values[i]);
  }

  finish(): Buffer {
    this.room(2);
    this.at = this.buffer.writeInt16BE(-1, this.at);
    return this.buffer.subarray(0, this.at);
  }

  private field(type: CopyType, value: unknown): void {
    if (value === null || value === undefined) {
      this.int4(-1);
      return;
    }
    switch (type) {
      case "int2":
        this.int4(2);
        this.room(2);
        this.at = this.buffer.writeInt16BE(value as number, this.at);
        return;
      case "int4":
        this.int4(4);
        this.int4(value as number);
        return;
      case "int8": {
        const n = value as number;
        const high = Math.floor(n / 0x1_0000_0000);
        this.int4(8);
        this.int4(high);
        this.room(4);
        this.at = this.buffer.writeUInt32BE(n - high * 0x1_0000_0000, this.at);
        return;
      }
      case "record id": {
        // (us × 1024 + collector) as two halves, without a bigint per row
        const { us, collector } = value as IdParts;
        const high = Math.floor(us / 0x40_0000);
        const low = (us - high * 0x40_0000) * 1024 + collector;
        this.int4(8);
        this.int4(high);
        this.room(4);
        this.at = this.buffer.writeUInt32BE(low, this.at);
        return;
      }
      case "id text":
        this.int4(8);
        this.room(8);
        this.at = this.buffer.writeBigInt64BE(BigInt(value as string), this.at);
        return;
      case "text":
        this.text(value as string);
        return;
      case "bytea": {
        const bytes = value as Uint8Array;
        this.int4(bytes.length);
        this.raw(bytes);
        return;
      }
      case "jsonb": {
        const start = this.begin();
        this.room(1);
        this.buffer[this.at++] = 1;
        this.utf8(JSON.stringify(value));
        this.end(start);
        return;
      }
      case "inet":
        this.inet(value as string);
        return;
      case "text[]":
        this.array(value as readonly string[], OID_TEXT, (v) => this.text(v));
        return;
      case "inet[]":
        this.array(value as readonly string[], OID_INET, (v) => this.inet(v));
        return;
    }
  }

  private array(values: readonly string[], elementOid: number, write: (value: string) => void): void {
    const start = this.begin();
    this.int4(values.length === 0 ? 0 : 1);
    this.int4(0);
    this.int4(elementOid);
    if (values.length > 0) {
      this.int4(values.length);
      this.int4(1);
      for (const value of values) write(value);
    }
    this.end(start);
  }

  private inet(address: string): void {
    const bytes = addressBytes(address);
    this.int4(4 + bytes.length);
    this.room(4);
    // family (PGSQL_AF_INET 2, INET6 3), prefix length, is_cidr, length
    this.buffer[this.at++] = bytes.length === 4 ? 2 : 3;
    this.buffer[this.at++] = bytes.length * 8;
    this.buffer[this.at++] = 0;
    this.buffer[this.at++] = bytes.length;
    this.raw(bytes);
  }

  private text(value: string): void {
    const start = this.begin();
    this.utf8(value);
    this.end(start);
  }

  private begin(): number {
    this.room(4);
    const start = this.at;
    this.at += 4;
    return start;
  }

  private end(start: number): void {
    this.buffer.writeInt32BE(this.at - start - 4, start);
  }

  private utf8(value: string): void {
    this.room(value.length * 3);
    this.at += this.buffer.write(value, this.at, "utf8");
  }

  private raw(bytes: Uint8Array): void {
    this.room(bytes.length);
    this.buffer.set(bytes, this.at);
    this.at += bytes.length;
  }

  private int4(value: number): void {
    this.room(4);
    this.at = this.buffer.writeInt32BE(value, this.at);
  }

  private room(bytes: number): void {
    if (this.at + bytes <= this.buffer.length) return;
    const bigger = Buffer.allocUnsafe(Math.max(this.buffer.length * 2, this.at + bytes));
    this.buffer.copy(bigger, 0, 0, this.at);
    this.buffer = bigger;
  }
}
