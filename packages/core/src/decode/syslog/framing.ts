import type { DecodeCode } from "../../base/bytes/index.js";

export interface Frame {
  readonly bytes: Uint8Array;
  /** Longer than allowed: `bytes` holds its beginning, `lostBytes` the count that followed. */
  readonly lostBytes: number;
  /** Announced by its length and not come: the stream ended inside it. */
  readonly missingBytes: number;
}

export interface FrameFault {
  readonly code: DecodeCode;
  readonly message: string;
}

const LF = 10;
const CR = 13;
const LESS = 60;
const SPACE = 32;
const NUL = 0;
const MAX_LENGTH_DIGITS = 7;

/**
 * A length, a space and a PRI, as far as it has come. Among lines a number and a space alone may be text.
 */
const COUNTED_SO_FAR = /^[1-9]\d{0,6}(?: (?:<(?:\d{1,3}>?)?)?)?$/;
const COUNTED = /^([1-9]\d{0,6}) (<\d{1,3}>)$/;

/** Memory that short messages of one connection share, and how short they are: one that is kept long keeps little else. */
const SHARED_BYTES = 16_384;
const SHORT_BYTES = 2_048;
const NO_BYTES = new Uint8Array(0);

/**
 * Cuts a TCP stream into syslog messages (RFC 6587). The way of framing is chosen by the first byte of the connection:
 * a digit 1–9 means octet counting (3.4.1), anything else LF (3.4.2; a NUL ends a frame too, as some senders do). Relays join streams of
 * both: a `<` where a length is due begins a line, and `length <PRI>` where a line is due begins a counted message.
 * A frame longer than `maxFrameBytes` is cut there and the rest skipped and counted. A bad length ends the connection:
 * `fault` is set and no more frames come, since nothing after it can be trusted.
 */
export class SyslogFraming {
  private mode: "unknown" | "counted" | "lines" = "unknown";
  private parts: Uint8Array[] = [];
  private partBytes = 0;
  private lengthDigits = 0;
  private length = 0;
  /** Octets still to come of a counted message; -1 outside of one. */
  private wanted = -1;
  private inLine = false;
  /** What may be the length of a counted message among lines. */
  private start = "";
  private lost = 0;
  private shared = NO_BYTES;
  private sharedAt = 0;
  fault: FrameFault | null = null;

  constructor(private readonly maxFrameBytes: number) {}

  /** Bytes held for a frame that is not complete. */
  get pendingBytes(): number {
    return this.partBytes;
  }

  /** Takes the next bytes of the stream and gives the frames they complete. */
  *push(chunk: Uint8Array): Generator<Frame> {
    let at = 0;
    while (at < chunk.length && this.fault === null) {
      if (this.wanted >= 0) {
        const available = Math.min(this.wanted, chunk.length - at);
        this.keep(chunk.subarray(at, at + available));
        at += available;
        this.wanted -= available;
        if (this.wanted === 0) yield this.take();
      } else if (this.inLine) {
        const end = lineEnd(chunk, at);
        this.keep(chunk.subarray(at, end));
        if (end === chunk.length) return;
        at = end + 1;
        this.inLine = false;
        if (this.partBytes > 0 || this.lost > 0) yield this.take();
      } else at = this.begin(chunk, at);
    }
  }

  /** The connection ended: what is left of an unfinished message, or null. */
  end(): Frame | null {
    this.keepStart();
    return this.partBytes > 0 ? this.take() : null;
  }

  /** Tells by its first bytes what the next frame is. @returns how far that took it */
  private begin(chunk: Uint8Array, at: number): number {
    const c = chunk[at]!;
    if (this.mode === "unknown") {
      // a line end before the first message starts nothing
      if (c === LF || c === CR) return at + 1;
      this.mode = c >= 49 && c <= 57 ? "counted" : "lines";
    }
    if (this.mode === "counted") {
      if (c !== LESS || this.lengthDigits > 0) return this.readLength(chunk, at);
      this.inLine = true;
      return at;
    }
    const start = this.start + String.fromCharCode(c);
    if (!COUNTED_SO_FAR.test(start)) {
      this.keepStart();
      this.inLine = true;
      return at;
    }
    this.start = start;
    const counted = COUNTED.exec(start);
    if (counted !== null) {
      const pri = counted[2]!;
      const rest = Number(counted[1]) - pri.length;
      // a message that is its PRI alone is none: then it is a line
      if (rest <= 0) {
        this.keepStart();
        this.inLine = true;
      } else {
        this.start = "";
        this.keep(asBytes(pri));
        this.wanted = rest;
      }
    }
    return at + 1;
  }

  private keepStart(): void {
    if (this.start !== "") this.keep(asBytes(this.start));
    this.start = "";
  }

  private readLength(chunk: Uint8Array, start: number): number {
    let at = start;
    for (; at < chunk.length; at++) {
      const c = chunk[at]!;
      if (c >= 48 && c <= 57 && this.lengthDigits < MAX_LENGTH_DIGITS && !(c === 48 && this.lengthDigits === 0)) {
        this.length = this.length * 10 + c - 48;
        this.lengthDigits++;
      } else if (c === SPACE && this.lengthDigits > 0) {
        this.wanted = this.length;
        this.length = 0;
        this.lengthDigits = 0;
        return at + 1;
      } else if (this.lengthDigits === 0 && (c === LF || c === CR)) {
        // some senders end counted frames with a line end that they do not count
      } else {
        const got =
          c >= 33 && c <= 126 ? JSON.stringify(String.fromCharCode(c)) : `0x${c.toString(16).padStart(2, "0")}`;
        this.fault = {
          code: "BAD_FRAME",
          message: `message length: expected 1 to ${MAX_LENGTH_DIGITS} digits and a space, got ${got}`,
        };
        return chunk.length;
      }
    }
    return at;
  }

  private keep(bytes: Uint8Array): void {
    const room = this.maxFrameBytes - this.partBytes;
    const kept = bytes.length <= room ? bytes : bytes.subarray(0, room);
    this.lost += bytes.length - kept.length;
    if (kept.length === 0) return;
    this.parts.push(this.copy(kept));
    this.partBytes += kept.length;
  }

  /** The chunk belongs to the socket, and would keep its whole buffer alive. Short messages share memory: one of its own for each takes longer than reading it. */
  private copy(bytes: Uint8Array): Uint8Array {
    if (bytes.length > SHORT_BYTES) return new Uint8Array(bytes);
    if (this.sharedAt + bytes.length > this.shared.length) {
      this.shared = new Uint8Array(SHARED_BYTES);
      this.sharedAt = 0;
    }
    const from = this.sharedAt;
    this.sharedAt += bytes.length;
    this.shared.set(bytes, from);
    return this.shared.subarray(from, this.sharedAt);
  }

  private take(): Frame {
    const bytes = this.parts.length === 1 ? this.parts[0]! : join(this.parts, this.partBytes);
    const frame = { bytes, lostBytes: this.lost, missingBytes: Math.max(0, this.wanted) };
    this.wanted = -1;
    this.parts = [];
    this.partBytes = 0;
    this.lost = 0;
    return frame;
  }
}

const asBytes = (ascii: string): Uint8Array => Uint8Array.from(ascii, (c) => c.charCodeAt(0));

function lineEnd(chunk: Uint8Array, start: number): number {
  for (let i = start; i < chunk.length; i++) if (chunk[i] === LF || chunk[i] === NUL) return i;
  return chunk.length;
}

function join(parts: readonly Uint8Array[], length: number): Uint8Array {
  const out = new Uint8Array(length);
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}
