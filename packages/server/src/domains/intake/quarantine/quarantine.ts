import {
  closeSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  readSync,
  statSync,
  unlinkSync,
} from "node:fs";
import { join } from "node:path";
import * as z from "zod";
import { writeDurably } from "../../../kernel/files/durable.js";
import type { Arrival } from "../arrivals/arrival.js";
import { decodeArrivals, encodeArrivals } from "../arrivals/arrival-bytes.js";

const NAME = /^(records|spool)-\d{16}-\d{4}\.bin$/;
const HEAD_BYTES = 4_096;
/** Files kept; those of one poisoned batch are as many as it has senders. */
const MAX_FILES = 5_000;

/** What is told of a file in quarantine. */
const Head = z.object({
  what: z.enum(["records", "spool"]),
  atUs: z.number(),
  peer: z.string(),
  endpoint: z.string(),
  records: z.int(),
  bytes: z.int(),
  reason: z.string(),
});
export type Quarantined = z.infer<typeof Head> & { readonly file: string };

/**
 * What could not be stored for another reason than an outage, and what could not be read back from the spool: kept in files with its
 * bytes and the reason until a person has it tried again or given up. A file is a line of JSON and then the arrivals of one sender, or the
 * damaged octets.
 */
export class Quarantine {
  private serial = 0;
  private totalBytes = 0;
  private readonly heads = new Map<string, Quarantined>();

  constructor(
    private readonly directory: string,
    private readonly maxBytes: number,
  ) {
    mkdirSync(directory, { recursive: true, mode: 0o700 });
    for (const file of readdirSync(directory).filter((n) => NAME.test(n))) {
      this.totalBytes += statSync(join(directory, file)).size;
      const head = this.readHead(file);
      if (head !== null) this.heads.set(file, { ...head, file });
    }
  }

  get bytes(): number {
    return this.totalBytes;
  }

  /** Keeps arrivals apart by sender. @returns how many could not be kept: no room, or the disk refused */
  keep(arrivals: readonly Arrival[], reason: string, atUs: number): number {
    let lost = 0;
    for (const [peer, own] of bySender(arrivals)) {
      const head = { what: "records" as const, atUs, peer, endpoint: own[0]!.endpoint, records: own.length, reason };
      if (!this.write(head, encodeArrivals(own))) lost += own.length;
    }
    return lost;
  }

  /** Keeps octets of the spool that are no entry any more. @returns whether there was room */
  keepDamaged(octets: Uint8Array, reason: string, atUs: number): boolean {
    return this.write({ what: "spool", atUs, peer: "", endpoint: "spool", records: 0, reason }, octets);
  }

  list(): Quarantined[] {
    return [...this.heads.values()];
  }

  /** The arrivals of a file, to be tried again; none where it holds none. */
  take(file: string): Arrival[] {
    if (!NAME.test(file) || !existsSync(join(this.directory, file))) return [];
    const whole = readFileSync(join(this.directory, file));
    return file.startsWith("records") ? decodeArrivals(whole.subarray(whole.indexOf(10) + 1)) : [];
  }

  forget(file: string): void {
    if (!NAME.test(file) || !existsSync(join(this.directory, file))) return;
    const path = join(this.directory, file);
    this.totalBytes -= statSync(path).size;
    unlinkSync(path);
    this.heads.delete(file);
  }

  private write(head: Omit<Quarantined, "file" | "bytes">, body: Uint8Array): boolean {
    const reason = head.reason.slice(0, 500);
    const line = Buffer.from(`${JSON.stringify({ ...head, reason, bytes: body.length })}\n`, "utf8");
    if (this.totalBytes + line.length + body.length > this.maxBytes || this.heads.size >= MAX_FILES) return false;
    const serial = String(this.serial++ % 10_000).padStart(4, "0");
    const file = `${head.what}-${String(Math.floor(head.atUs)).padStart(16, "0")}-${serial}.bin`;
    try {
      writeDurably(join(this.directory, file), Buffer.concat([line, body]));
    } catch {
      return false;
    }
    this.totalBytes += line.length + body.length;
    this.heads.set(file, { ...head, reason, bytes: body.length, file });
    return true;
  }

  private readHead(file: string): z.infer<typeof Head> | null {
    const begin = Buffer.alloc(HEAD_BYTES);
    const fd = openSync(join(this.directory, file), "r");
    try {
      readSync(fd, begin);
      return Head.parse(JSON.parse(begin.toString("utf8", 0, begin.indexOf(10))));
    } catch {
      return null;
    } finally {
      closeSync(fd);
    }
  }
}

function bySender(arrivals: readonly Arrival[]): Map<string, Arrival[]> {
  const out = new Map<string, Arrival[]>();
  for (const a of arrivals) {
    const own = out.get(a.peer);
    if (own) own.push(a);
    else out.set(a.peer, [a]);
  }
  return out;
}
