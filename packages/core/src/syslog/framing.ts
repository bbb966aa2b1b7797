import type { DecodeCode } from "../bytes/index.js";

export interface Frame {
  readonly bytes: Uint8Array;
  /** Longer than allowed: `bytes` holds its beginning, `lostBytes` the count that followed. */
  readonly lostBytes: number;
}

export interface FrameFault {
  readonly code: DecodeCode;
  readonly message: string;
}

const LF = 10;
const SPACE = 32;
const NUL = 0;
const MAX_LENGTH_DIGITS = 7;

/**
 * Cuts a TCP stream into syslog messages (RFC 6587). The way of framing is chosen by the first byte of the connection:
 * a digit 1–9 means octet counting (3.4.1), anything else LF (3.4.2; a NUL ends a frame too, as some senders do).
 * A frame longer than `maxFrameBytes` is cut there and the rest skipped and counted. A bad length ends the connection:
 * `fault` is set and no more frames come, since nothing after it can be trusted.
 */
export class SyslogFraming {
  private mode: "unknown" | "counted" | "lines" = "unknown";
  private parts: Uint8Array[] = [];
  private partBytes = 0;
  private lengthDigits = 0;
  private length = 0;
  private wanted = -1;
  private lost = 0;
  fault: FrameFault | null = null;

  constructor(private readonly maxFrameBytes: number) {}

  get framing(): "unknown" | "counted" | "lines" {
    return this.mode;
  }

  /** Bytes held for a frame that is not complete. */
  get pendingBytes(): number {
    return this.partBytes;
  }

  /** Takes the next bytes of the stream and gives the frames they complete. */
  *push(chunk: Uint8Array): Generator<Frame> {
    let at = 0;
    while (at < chunk.length && this.fault === null) {
      if (this.mode === "unknown") {
        const c = chunk[at]!;
        // a line end before the first message starts nothing
        if (c === LF || c === 13) {
          at++;
          continue;
        }
        this.mode = c >= 49 && c <= 57 ? "counted" : "lines";
      }
      if (this.mode === "lines") {
        const end = lineEnd(chunk, at);
        this.keep(chunk.subarray(at, end));
        if (end === chunk.length) return;
        at = end + 1;
        if (this.partBytes > 0 || this.lost > 0) yield this.take();
        continue;
      }
      if (this.wanted < 0) {
        at = this.readLength(chunk, at);
        continue;
      }
      const available = Math.min(this.wanted, chunk.length - at);
      this.keep(chunk.subarray(at, at + available));
      at += available;
      this.wanted -= available;
      if (this.wanted === 0) {
        this.wanted = -1;
        yield this.take();
      }
    }
  }

  /** The connection ended: what is left of an unfinished message, or null. */
  end(): Frame | null {
    return this.partBytes > 0 ? this.take() : null;
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
      } else if (this.lengthDigits === 0 && (c === LF || c === 13)) {
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
    // copied: the chunk belongs to the socket and would keep its whole buffer alive
    this.parts.push(new Uint8Array(kept));
    this.partBytes += kept.length;
  }

  private take(): Frame {
    const bytes = this.parts.length === 1 ? this.parts[0]! : join(this.parts, this.partBytes);
    const frame = { bytes, lostBytes: this.lost };
    this.parts = [];
    this.partBytes = 0;
    this.lost = 0;
    return frame;
  }
}

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
