import { createReadStream } from "node:fs";

/** A file's bytes in pieces; "-" is standard input. */
export async function* openInput(file: string): AsyncGenerator<Uint8Array> {
  const stream = file === "-" ? process.stdin : createReadStream(file, { highWaterMark: 1 << 20 });
  for await (const chunk of stream) yield chunk as Uint8Array;
}

/** A file's whole text; "-" is standard input. Read before the database is asked: whoever types it may take their time. */
export async function readInput(file: string): Promise<string> {
  const parts: Uint8Array[] = [];
  for await (const part of openInput(file)) parts.push(part);
  return Buffer.concat(parts).toString("utf8");
}
