import type { InputMessage } from "./input-message.js";

const MAX_LINE_BYTES = 1024 * 1024;
const LF = 10;
const CR = 13;

/** Lines of text in bounded memory: messages, or rows below a header. A line beyond the limit is cut, and said so. */
export class LineSplitter {
  private parts: Uint8Array[] = [];
  private bytes = 0;
  private lost = 0;
  private line = 0;

  /** @param header of a table: the first line, which each row needs to be read */
  constructor(private readonly header: string | null) {}

  *push(chunk: Uint8Array): Generator<InputMessage> {
    let at = 0;
    for (;;) {
      const end = chunk.indexOf(LF, at);
      this.keep(chunk.subarray(at, end < 0 ? chunk.length : end));
      if (end < 0) return;
      yield* this.take();
      at = end + 1;
    }
  }

  *end(): Generator<InputMessage> {
    if (this.bytes > 0) yield* this.take();
  }

  private keep(part: Uint8Array): void {
    const room = MAX_LINE_BYTES - this.bytes;
    const kept = part.length <= room ? part : part.subarray(0, room);
    this.lost += part.length - kept.length;
    if (kept.length > 0) this.parts.push(kept);
    this.bytes += kept.length;
  }

  private *take(): Generator<InputMessage> {
    const bytes = this.parts.length === 1 ? this.parts[0]! : Buffer.concat(this.parts);
    const lostBytes = this.lost;
    this.parts = [];
    this.bytes = 0;
    this.lost = 0;
    this.line++;
    if (this.header === null) yield { type: "item", protocol: "syslog", line: this.line, bytes };
    else if (this.line > 1 && bytes.length > 0) {
      const row = bytes[bytes.length - 1] === CR ? bytes.subarray(0, -1) : bytes;
      yield {
        type: "item",
        protocol: "columns",
        line: this.line,
        bytes: Buffer.concat([Buffer.from(`${this.header}\n`), row]),
      };
    }
    if (lostBytes > 0)
      yield {
        type: "bad item",
        line: this.line,
        problem: {
          code: "TOO_LONG",
          offset: MAX_LINE_BYTES,
          message: `line: ${lostBytes} bytes beyond 1 MiB were cut`,
        },
      };
  }
}
