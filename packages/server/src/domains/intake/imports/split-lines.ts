import { DecisionColumns } from "@halvik/core/decode/firewall";
import type { InputMessage } from "./input-message.js";

const MAX_LINE_BYTES = 1024 * 1024;
/** Of one row: a stray quote must not make one of all that follows. */
const MAX_ROW_LINES = 100;
const MAX_ROW_BYTES = 64 * 1024;
const LF = 10;
const CR = 13;
const NEWLINE = Uint8Array.of(LF);

interface TableLine {
  readonly line: number;
  readonly bytes: Uint8Array;
}

/** Lines of text in bounded memory: messages, or rows below a header. A line beyond the limit is cut, and said so. */
export class LineSplitter {
  private parts: Uint8Array[] = [];
  private bytes = 0;
  private lost = 0;
  private line = 0;
  private readonly columns: DecisionColumns | null;
  /** Lines of a row whose quotes are open still. */
  private open: TableLine[] = [];

  /** @param header of a table: the first line, which each row needs to be read */
  constructor(private readonly header: string | null) {
    this.columns = header === null ? null : DecisionColumns.fromHeader(header);
  }

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
    while (this.open.length > 0) yield* this.giveUpOpen();
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
    else if (this.line > 1 && bytes.length + this.open.length > 0) yield* this.row({ line: this.line, bytes });
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

  /** A line of a table: a row, or a part of one whose quoted value holds line ends (RFC 4180 section 2.6). */
  private *row(line: TableLine): Generator<InputMessage> {
    this.open.push(line);
    const whole = joinLines(this.open.map((l) => l.bytes));
    // quotes and separators are ASCII: the bytes need not be decoded to find them
    const isOpen = this.columns?.isOpen(withoutReturn(whole).toString("latin1")) ?? false;
    if (!isOpen) {
      const first = this.open[0]!.line;
      this.open = [];
      yield this.rowItem(first, whole);
    } else if (this.open.length >= MAX_ROW_LINES || whole.length >= MAX_ROW_BYTES) yield* this.giveUpOpen();
  }

  /** A quote that nothing closes: its line is a row by itself, told to be wrong where it is, and those after it are looked at anew. */
  private *giveUpOpen(): Generator<InputMessage> {
    const [first, ...rest] = this.open;
    this.open = [];
    if (first === undefined) return;
    yield this.rowItem(first.line, first.bytes);
    for (const line of rest) yield* this.row(line);
  }

  private rowItem(line: number, row: Uint8Array): InputMessage {
    const bytes = Buffer.concat([Buffer.from(`${this.header}\n`), withoutReturn(row)]);
    return { type: "item", protocol: "columns", line, bytes };
  }
}

const withoutReturn = (row: Uint8Array): Buffer => Buffer.from(row[row.length - 1] === CR ? row.subarray(0, -1) : row);

const joinLines = (lines: readonly Uint8Array[]): Uint8Array =>
  lines.length === 1 ? lines[0]! : Buffer.concat(lines.flatMap((line, i) => (i === 0 ? [line] : [NEWLINE, line])));
