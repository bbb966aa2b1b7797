import { createReadStream } from "node:fs";

/** A file's bytes in pieces; "-" is standard input. */
export async function* openInput(file: string): AsyncGenerator<Uint8Array> {
  const stream = file === "-" ? process.stdin : createReadStream(file, { highWaterMark: 1 << 20 });
  for await (const chunk of stream) yield chunk as Uint8Array;
}
