const QUOTE = 34;
const BACKSLASH = 92;
const FIRST_PRINTED = 32;
const LAST_PRINTED = 126;
const utf8 = new TextEncoder();

/**
 * JSON (RFC 8259) put together as the octets it is sent as, in one buffer that grows: of plain texts, which most are, each sign is looked at
 * and written once, and neither an object nor a longer text is made on the way.
 */
export class JsonBytes {
  private bytes: Uint8Array;
  length = 0;

  /** @param size the first buffer's, in octets; a longer text doubles it */
  constructor(size: number) {
    this.bytes = new Uint8Array(size);
  }

  /** Text as it is: brackets, names with their quotes, numbers. Of ASCII alone. */
  ascii(text: string): void {
    this.makeRoom(text.length);
    const { bytes } = this;
    let at = this.length;
    for (let i = 0; i < text.length; i++) bytes[at++] = text.charCodeAt(i);
    this.length = at;
  }

  /** A text in its quotes, with the escapes of `JSON.stringify`. */
  text(text: string): void {
    this.makeRoom(text.length + 2);
    const { bytes } = this;
    let at = this.length;
    bytes[at++] = QUOTE;
    for (let i = 0; i < text.length; i++) {
      const c = text.charCodeAt(i);
      if (c < FIRST_PRINTED || c > LAST_PRINTED || c === QUOTE || c === BACKSLASH) {
        this.encoded(text);
        return;
      }
      bytes[at++] = c;
    }
    bytes[at++] = QUOTE;
    this.length = at;
  }

  /** Any value that JSON can say. */
  value(value: unknown): void {
    if (typeof value === "string") this.text(value);
    else if (Array.isArray(value)) this.list(value);
    else this.encoded(value);
  }

  private list(values: readonly unknown[]): void {
    this.ascii("[");
    for (let i = 0; i < values.length; i++) {
      if (i > 0) this.ascii(",");
      this.value(values[i]);
    }
    this.ascii("]");
  }

  /** What was written, in a buffer of its own; nothing is left here. */
  take(): Uint8Array {
    const taken = this.bytes.slice(0, this.length);
    this.length = 0;
    return taken;
  }

  private encoded(value: unknown): void {
    const octets = utf8.encode(JSON.stringify(value));
    this.makeRoom(octets.length);
    this.bytes.set(octets, this.length);
    this.length += octets.length;
  }

  private makeRoom(octets: number): void {
    const needed = this.length + octets;
    if (needed <= this.bytes.length) return;
    const larger = new Uint8Array(Math.max(needed, 2 * this.bytes.length));
    larger.set(this.bytes.subarray(0, this.length));
    this.bytes = larger;
  }
}
