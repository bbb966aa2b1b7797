/** Big-endian octets, for writing datagrams. */
export class Octets {
  private bytes = new Uint8Array(512);
  private view = new DataView(this.bytes.buffer);
  private at = 0;

  get length(): number {
    return this.at;
  }

  u8(n: number): this {
    this.room(1);
    this.bytes[this.at++] = n;
    return this;
  }

  u16(n: number): this {
    this.room(2);
    this.view.setUint16(this.at, n);
    this.at += 2;
    return this;
  }

  u32(n: number): this {
    this.room(4);
    this.view.setUint32(this.at, n);
    this.at += 4;
    return this;
  }

  u64(n: number): this {
    return this.u32(Math.floor(n / 4_294_967_296)).u32(n % 4_294_967_296);
  }

  ip(address: string): this {
    for (const octet of address.split(".")) this.u8(Number(octet));
    return this;
  }

  raw(bytes: Uint8Array): this {
    this.room(bytes.length);
    this.bytes.set(bytes, this.at);
    this.at += bytes.length;
    return this;
  }

  /** Text padded with NULs to a width. */
  text(text: string, width: number): this {
    const bytes = new TextEncoder().encode(text).subarray(0, width);
    this.raw(bytes);
    for (let i = bytes.length; i < width; i++) this.u8(0);
    return this;
  }

  setU16(at: number, n: number): void {
    this.view.setUint16(at, n);
  }

  done(): Uint8Array {
    return this.bytes.slice(0, this.at);
  }

  private room(n: number): void {
    if (this.at + n <= this.bytes.length) return;
    const bigger = new Uint8Array(Math.max(this.bytes.length * 2, this.at + n));
    bigger.set(this.bytes);
    this.bytes = bigger;
    this.view = new DataView(bigger.buffer);
  }
}
