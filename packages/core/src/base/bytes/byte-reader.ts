import { DecodeError } from "./decode-error.js";

/**
 * Reads a byte range front to back; every read is bounds-checked and names what it reads.
 * `offset` is absolute (within the outermost input), so an error points into the file or datagram.
 * @throws {DecodeError} TRUNCATED when fewer bytes are left than the read needs
 */
export class ByteReader {
  private lazyView: DataView | null = null;
  private position = 0;

  constructor(
    private readonly bytes: Uint8Array,
    private readonly littleEndian = false,
    private readonly base = 0,
  ) {}

  /** Made when first needed: readers of single octets and slices do without, and there are many of those. */
  private get view(): DataView {
    this.lazyView ??= new DataView(this.bytes.buffer, this.bytes.byteOffset, this.bytes.byteLength);
    return this.lazyView;
  }

  get offset(): number {
    return this.base + this.position;
  }

  get left(): number {
    return this.bytes.length - this.position;
  }

  u8(what: string): number {
    return this.bytes[this.take(1, what)]!;
  }

  u16(what: string): number {
    return this.view.getUint16(this.take(2, what), this.littleEndian);
  }

  u32(what: string): number {
    return this.view.getUint32(this.take(4, what), this.littleEndian);
  }

  u64(what: string): bigint {
    return this.view.getBigUint64(this.take(8, what), this.littleEndian);
  }

  /** The next `length` bytes, shared with the input. */
  slice(length: number, what: string): Uint8Array {
    const start = this.take(length, what);
    return this.bytes.subarray(start, start + length);
  }

  /** A reader that cannot leave the next `length` bytes. */
  sub(length: number, what: string): ByteReader {
    const base = this.offset;
    return new ByteReader(this.slice(length, what), this.littleEndian, base);
  }

  skip(length: number, what: string): void {
    this.take(length, what);
  }

  private take(length: number, what: string): number {
    if (length > this.left)
      throw new DecodeError(
        "TRUNCATED",
        this.offset,
        `${what}: expected ${length} bytes, ${this.left} left at byte ${this.offset}`,
      );
    const start = this.position;
    this.position += length;
    return start;
  }
}
