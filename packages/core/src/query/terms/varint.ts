/** Unsigned LEB128 numbers up to 2^53, into memory that grows. */
export class VarintWriter {
  private bytes = new Uint8Array(1024);
  length = 0;

  number(value: number): void {
    if (this.length + 8 > this.bytes.length) this.grow(8);
    let rest = value;
    while (rest >= 0x80) {
      this.bytes[this.length++] = (rest % 0x80) | 0x80;
      rest = Math.floor(rest / 0x80);
    }
    this.bytes[this.length++] = rest;
  }

  /** A number of either sign: small ones stay short. */
  signed(value: number): void {
    this.number(value >= 0 ? value * 2 : -value * 2 - 1);
  }

  octets(octets: Uint8Array): void {
    if (this.length + octets.length > this.bytes.length) this.grow(octets.length);
    this.bytes.set(octets, this.length);
    this.length += octets.length;
  }

  restart(): void {
    this.length = 0;
  }

  /** What has been written, in memory that the next writing overwrites. */
  written(): Uint8Array {
    return this.bytes.subarray(0, this.length);
  }

  finish(): Uint8Array {
    return this.bytes.slice(0, this.length);
  }

  private grow(by: number): void {
    const larger = new Uint8Array(Math.max(this.bytes.length * 2, this.length + by));
    larger.set(this.bytes.subarray(0, this.length));
    this.bytes = larger;
  }
}

/** Reads what `VarintWriter` wrote. What is read comes from our own store: beyond the end there are zeros, never a loop. */
export class VarintReader {
  constructor(
    private readonly bytes: Uint8Array,
    public at = 0,
  ) {}

  get done(): boolean {
    return this.at >= this.bytes.length;
  }

  number(): number {
    let value = 0;
    let scale = 1;
    for (;;) {
      const byte = this.bytes[this.at++] ?? 0;
      if (byte < 0x80) return value + byte * scale;
      value += (byte & 0x7f) * scale;
      scale *= 0x80;
    }
  }

  signed(): number {
    const value = this.number();
    return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
  }

  octets(length: number): Uint8Array {
    const start = this.at;
    this.at += length;
    return this.bytes.subarray(start, this.at);
  }
}
