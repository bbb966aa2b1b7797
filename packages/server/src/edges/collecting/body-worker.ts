import { createGunzip } from "node:zlib";
import type { DecodeProblem } from "@halvik/core/base/bytes";
import { JsonRecords } from "@halvik/core/decode/json";
import { readEvents } from "@halvik/core/decode/windows";

/** What bodies hold: event XML, or JSON of any kind, or that of what packets told. */
export type BodyProtocol = "windows" | "json" | "packet";

/** The body of a request that brings records. */
export interface BodyInput {
  readonly protocol: BodyProtocol;
  readonly body: Uint8Array;
  readonly gzip: boolean;
  readonly maxBytes: number;
  readonly maxRecords: number;
}

export interface BodyRecords {
  /** Texts of records, or what was wrong with them, in order. */
  readonly items: readonly (string | DecodeProblem)[];
  /** Octets, unpacked; null: more than there may be, or not to be unpacked. */
  readonly bytes: number | null;
}

/** Cuts a body into records: in a thread of its own, since what is packed may unfold to anything. */
export async function body(input: BodyInput): Promise<BodyRecords> {
  const items: (string | DecodeProblem)[] = [];
  const take = (found: Iterable<{ readonly text: string } | { readonly problem: DecodeProblem }>): boolean => {
    for (const item of found) {
      if (items.length >= input.maxRecords) {
        items.push({ code: "TOO_LONG", offset: 0, message: `expected at most ${input.maxRecords} records a request` });
        return false;
      }
      items.push("problem" in item ? item.problem : item.text);
    }
    return true;
  };
  let bytes = 0;
  const parts: Buffer[] = [];
  const decoder = new TextDecoder("utf-8", { ignoreBOM: true });
  const records = new JsonRecords();
  try {
    for await (const part of unpacked(input)) {
      bytes += part.length;
      if (bytes > input.maxBytes) return { items: [], bytes: null };
      if (input.protocol === "windows") parts.push(part);
      else if (!take(texts(records.push(decoder.decode(part, { stream: true }))))) return { items, bytes };
    }
  } catch {
    return { items: [], bytes: null };
  }
  if (input.protocol === "windows") take(eventTexts(textOf(Buffer.concat(parts))));
  else if (take(texts(records.push(decoder.decode())))) take(texts(records.end()));
  return { items, bytes };
}

async function* unpacked({ body: packed, gzip }: BodyInput): AsyncGenerator<Buffer> {
  const whole = Buffer.from(packed.buffer, packed.byteOffset, packed.byteLength);
  if (!gzip) {
    for (let at = 0; at < whole.length; at += PIECE) yield whole.subarray(at, at + PIECE);
    return;
  }
  const unzip = createGunzip();
  unzip.end(whole);
  for await (const part of unzip) yield part as Buffer;
}

const PIECE = 64 * 1024;

function* texts(
  items: Iterable<{ readonly json: string } | { readonly problem: DecodeProblem }>,
): Generator<{ readonly text: string } | { readonly problem: DecodeProblem }> {
  for (const i of items) yield "problem" in i ? i : { text: i.json };
}

function* eventTexts(text: string): Generator<{ readonly text: string } | { readonly problem: DecodeProblem }> {
  for (const e of readEvents(text)) yield "problem" in e ? e : { text: e.xml };
}

/** Event XML is often UTF-16 (its files are); the byte order mark tells. */
function textOf(bytes: Buffer): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return bytes.subarray(2).toString("utf16le");
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return new TextDecoder("utf-16be").decode(bytes.subarray(2));
  return bytes.toString("utf8");
}
