import { DecodeError } from "@halvik/core/bytes";
import { type CapturedMessage, CaptureMessages, isCapture } from "@halvik/core/capture";

/** A message found in a file: a line of text, or what a capture holds. */
export type InputMessage =
  | { readonly type: "line"; readonly line: number; readonly bytes: Uint8Array }
  | { readonly type: "too long"; readonly line: number; readonly lostBytes: number }
  | CapturedMessage;

const MAX_LINE_BYTES = 1024 * 1024;
const LF = 10;

/** The messages of a text file or capture, told by its first bytes, in bounded memory. */
export async function* readInput(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<InputMessage> {
  let start: Uint8Array = new Uint8Array(0);
  let reader: CaptureMessages | LineReader | null = null;
  for await (const chunk of chunks) {
    let piece = chunk;
    if (reader === null) {
      start = start.length === 0 ? chunk : Buffer.concat([start, chunk]);
      if (start.length < 4) continue;
      reader = isCapture(start) ? new CaptureMessages() : new LineReader();
      piece = start;
    }
    try {
      yield* reader.push(piece);
    } catch (e) {
      // the capture cannot be read on; its last message said why
      if (e instanceof DecodeError) return;
      throw e;
    }
  }
  if (reader === null) {
    reader = new LineReader();
    yield* reader.push(start);
  }
  yield* reader.end();
}

class LineReader {
  private parts: Uint8Array[] = [];
  private bytes = 0;
  private lost = 0;
  private line = 0;

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
    yield { type: "line", line: this.line, bytes };
    if (lostBytes > 0) yield { type: "too long", line: this.line, lostBytes };
  }
}
