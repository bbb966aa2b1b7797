import { open, rename, stat, unlink } from "node:fs/promises";
import { join } from "node:path";
import { formatUs } from "@halvik/core/base/time";
import { type LogFileChannel, webhookBody } from "@halvik/core/respond/notify";
import type { Outgoing, Sent } from "./way.js";

const MEGABYTE = 1_048_576;
const LINE_END = 10;

/** What writing to a log file goes by. */
export interface LogFileWriting {
  readonly channel: LogFileChannel;
  /** The directory it lies in. */
  readonly dir: string;
  readonly nowUs: () => number;
}

/**
 * Writes a message as a line of JSON, the same as a web address gets, and has it on disk before it counts as sent. A file that is full is put
 * aside as `NAME.1`, those before it move up, and the oldest goes.
 */
export async function writeLogFile({ channel, dir, nowUs }: LogFileWriting, message: Outgoing): Promise<Sent> {
  const path = join(dir, channel.file);
  const body = JSON.parse(webhookBody("json", message, message.write(null), message.about)) as object;
  const line = Buffer.from(`${JSON.stringify({ at: formatUs(nowUs()), ...body })}\n`, "utf8");
  try {
    await rotate(path, line.length, channel);
    const file = await open(path, "a+", 0o640);
    try {
      // what a full disk has cut off is not gone on with
      const { size } = await file.stat();
      const last = Buffer.alloc(1);
      if (size > 0) await file.read(last, 0, 1, size - 1);
      const whole = size === 0 || last[0] === LINE_END;
      await file.writeFile(whole ? line : Buffer.concat([Buffer.from("\n"), line]));
      await file.sync();
    } finally {
      await file.close();
    }
    return { ok: true };
  } catch (e) {
    return { ok: false, why: (e as Error).message.slice(0, 400), permanent: false };
  }
}

async function rotate(path: string, more: number, { megabytes, keep }: LogFileChannel): Promise<void> {
  const size = await sizeOf(path);
  if (size === 0 || size + more <= megabytes * MEGABYTE) return;
  // of one that was kept longer before, too
  for (let n = keep; (await sizeOf(`${path}.${n}`)) > 0; n++) await unlink(`${path}.${n}`);
  for (let n = keep - 1; n >= 1; n--)
    if ((await sizeOf(`${path}.${n}`)) > 0) await rename(`${path}.${n}`, `${path}.${n + 1}`);
  await rename(path, `${path}.1`);
}

async function sizeOf(path: string): Promise<number> {
  try {
    return (await stat(path)).size;
  } catch (e) {
    if ((e as NodeJS.ErrnoException).code === "ENOENT") return 0;
    throw e;
  }
}
