import { Readable } from "node:stream";
import { createGunzip } from "node:zlib";
import { DecodeError } from "@halvik/core/base/bytes";
import { CaptureMessages, isCapture } from "@halvik/core/decode/capture";
import { DecisionColumns } from "@halvik/core/decode/firewall";
import type { MeteredCapture } from "@halvik/core/decode/meter";
import type { InputMessage } from "./input-message.js";
import { EventSplitter } from "./split-events.js";
import { JsonSplitter } from "./split-json.js";
import { LineSplitter } from "./split-lines.js";

interface Splitter {
  push(chunk: Uint8Array): Iterable<InputMessage>;
  end(): Iterable<InputMessage>;
}

/** Enough to tell what a file is. */
const TELL_BYTES = 4_096;

/**
 * The messages of a file, told by its first bytes: a capture, event XML, JSON, decisions in columns, or lines of text; any of
 * them packed with gzip. In bounded memory: those of one piece of the file at a time, made as they are gone through, all of them before the
 * next piece is asked for. To wait for each message by itself would take a tenth of the time that it takes to decode it.
 * @param whole a protocol whose one datagram the file is, when it is no capture
 * @param meter makes flows of a capture's packets, where that is wanted instead of the messages in it
 */
export async function* readInput(
  chunks: AsyncIterable<Uint8Array>,
  whole: "snmp" | "flow" | null = null,
  meter: MeteredCapture | null = null,
): AsyncGenerator<Iterable<InputMessage>> {
  let isReadable = true;
  // what cannot be read on ends it; the last message said why
  const read = function* (messages: Iterable<InputMessage>): Generator<InputMessage> {
    try {
      yield* messages;
    } catch (e) {
      if (!(e instanceof DecodeError)) throw e;
      isReadable = false;
    }
  };
  let start: Uint8Array = new Uint8Array(0);
  let reader: Splitter | null = null;
  for await (const chunk of unpacked(chunks)) {
    let piece = chunk;
    if (reader === null) {
      start = start.length === 0 ? chunk : Buffer.concat([start, chunk]);
      if (start.length < TELL_BYTES) continue;
      reader = readerFor(start, whole, meter);
      piece = start;
    }
    yield read(reader.push(piece));
    if (!isReadable) return;
  }
  if (reader === null) {
    if (start.length === 0) {
      const problem = { code: "EMPTY", offset: 0, message: "the file holds nothing" } as const;
      yield [{ type: "problem", frame: 0, problem }];
      return;
    }
    reader = readerFor(start, whole, meter);
    yield read(reader.push(start));
    if (!isReadable) return;
  }
  yield read(reader.end());
}

function readerFor(start: Uint8Array, whole: "snmp" | "flow" | null, meter: MeteredCapture | null): Splitter {
  if (isCapture(start)) return meter ?? new CaptureMessages();
  if (meter !== null) throw new Error("this is no capture: only the packets of one can be metered (pcap or pcapng)");
  if (whole !== null) return new WholeFile(whole);
  if (start[0] === 0xff && start[1] === 0xfe) return new EventSplitter("utf-16le");
  if (start[0] === 0xfe && start[1] === 0xff) return new EventSplitter("utf-16be");
  const text = Buffer.from(start)
    .toString("utf8")
    .replace(/^\ufeff/, "")
    .trimStart();
  // "<13>…" is syslog, "<Event" and "<?xml" are not
  if (text[0] === "<" && !/^<\d/.test(text)) return new EventSplitter("utf-8");
  if (text[0] === "{" || text[0] === "[") return new JsonSplitter();
  const header = text.slice(0, text.indexOf("\n") < 0 ? text.length : text.indexOf("\n")).trimEnd();
  return new LineSplitter(DecisionColumns.fromHeader(header) ? header : null);
}

/** Unpacks gzip, told by its magic number. */
async function* unpacked(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  const iterator = chunks[Symbol.asyncIterator]();
  let start: Uint8Array = new Uint8Array(0);
  // pieces of any size: the magic number has two bytes
  for (let next = await iterator.next(); !next.done; next = await iterator.next()) {
    start = start.length === 0 ? next.value : Buffer.concat([start, next.value]);
    if (start.length > 1) break;
  }
  if (start.length === 0) return;
  const all = (async function* () {
    yield start;
    for (let next = await iterator.next(); !next.done; next = await iterator.next()) yield next.value;
  })();
  const packed = start[0] === 0x1f && start[1] === 0x8b;
  if (packed) yield* withinReason(all);
  else yield* all;
}

/** Logs unfold to some tenfold; what unfolds to much more is made to fill a disk. */
const MOST_UNFOLDED = 300;
const LEAST_BYTES = 256 * 1024 * 1024;

async function* withinReason(packed: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  let packedBytes = 0;
  const counted = (async function* () {
    for await (const chunk of packed) {
      packedBytes += chunk.length;
      yield chunk;
    }
  })();
  let bytes = 0;
  for await (const chunk of Readable.from(counted).pipe(createGunzip()) as AsyncIterable<Uint8Array>) {
    bytes += chunk.length;
    if (bytes > LEAST_BYTES && bytes > packedBytes * MOST_UNFOLDED)
      throw new Error(
        `this gzip unfolds to more than ${MOST_UNFOLDED} times its size: unpack it first, if it is meant`,
      );
    yield chunk;
  }
}

const MAX_DATAGRAM = 65_535;

/** A file that is one datagram. */
class WholeFile implements Splitter {
  private bytes: Uint8Array = new Uint8Array(0);

  constructor(private readonly protocol: "snmp" | "flow") {}

  push(chunk: Uint8Array): Iterable<InputMessage> {
    if (this.bytes.length <= MAX_DATAGRAM) this.bytes = Buffer.concat([this.bytes, chunk]);
    return [];
  }

  *end(): Iterable<InputMessage> {
    if (this.bytes.length > MAX_DATAGRAM)
      yield {
        type: "bad item",
        line: 1,
        problem: { code: "TOO_LONG", offset: 0, message: `file: expected a datagram of at most ${MAX_DATAGRAM} bytes` },
      };
    else yield { type: "item", protocol: this.protocol, line: 1, bytes: this.bytes };
  }
}
