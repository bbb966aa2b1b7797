/** Builds binary input for tests, big-endian. */
export class Bytes {
  private readonly parts: number[] = [];

  u8(...values: readonly number[]): this {
    this.parts.push(...values);
    return this;
  }
  u16(...values: readonly number[]): this {
    for (const v of values) this.parts.push((v >>> 8) & 255, v & 255);
    return this;
  }
  u32(...values: readonly number[]): this {
    for (const v of values) this.parts.push((v >>> 24) & 255, (v >>> 16) & 255, (v >>> 8) & 255, v & 255);
    return this;
  }
  u64(value: bigint): this {
    return this.u32(Number(value >> 32n), Number(value & 0xffff_ffffn));
  }
  ip(address: string): this {
    return this.u8(...address.split(".").map(Number));
  }
  raw(bytes: Iterable<number>): this {
    this.parts.push(...bytes);
    return this;
  }
  text(text: string): this {
    return this.raw(new TextEncoder().encode(text));
  }
  get length(): number {
    return this.parts.length;
  }
  done(): Uint8Array {
    return Uint8Array.from(this.parts);
  }
}

export const bytes = (): Bytes => new Bytes();

export const fromHex = (text: string): Uint8Array =>
  Uint8Array.from(
    text
      .replace(/[^0-9a-fA-F]/g, "")
      .match(/../g)
      ?.map((h) => Number.parseInt(h, 16)) ?? [],
  );
