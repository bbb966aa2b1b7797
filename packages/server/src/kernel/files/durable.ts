import { closeSync, existsSync, fsyncSync, openSync, readFileSync, renameSync, writeSync } from "node:fs";
import { dirname } from "node:path";
import type * as z from "zod";

/**
 * Replaces a small file as a whole: whoever reads it, after whatever crash, finds what was there before or what is there now.
 * @throws when it cannot be written; the file is then as it was
 */
export function writeDurably(path: string, content: string | Uint8Array, mode = 0o600): void {
  const fresh = `${path}.new`;
  const fd = openSync(fresh, "w", mode);
  try {
    const bytes = typeof content === "string" ? Buffer.from(content, "utf8") : content;
    for (let at = 0; at < bytes.length; ) at += writeSync(fd, bytes, at);
    fsyncSync(fd);
  } finally {
    closeSync(fd);
  }
  renameSync(fresh, path);
  // the name is durable once its directory is
  const directory = openSync(dirname(path), "r");
  try {
    fsyncSync(directory);
  } finally {
    closeSync(directory);
  }
}

/** A file of our own as its schema has it; null where there is none, or where it is cut or damaged. */
export function readJsonFile<T>(path: string, schema: z.ZodType<T>): T | null {
  if (!existsSync(path)) return null;
  try {
    return schema.parse(JSON.parse(readFileSync(path, "utf8")));
  } catch {
    return null;
  }
}
