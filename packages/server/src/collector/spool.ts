import { mkdirSync, readdirSync, readFileSync, statSync, unlinkSync } from "node:fs";
import { type FileHandle, open } from "node:fs/promises";
import { join } from "node:path";
import { crc32 } from "node:zlib";
import type { Arrival } from "./arrival.js";

/** A file is read back whole: small enough for the collector's memory. */
const FILE_BYTES = 8 * 1024 * 1024;
const NAME = /^spool-(\d{16})\.bin$/;
const HEADER_BYTES = 8;

export interface SpooledBatch {
  readonly number: number;
  readonly throughUs: number;
  readonly arrivals: readonly Arrival[];
}

/**
 * Numbered batches of arrivals on disk while the database is away, replayed in order on return. Append-only files of
 * `[length u32][crc32 u32][body]`; an entry torn by a crash or a full disk ends its file and is counted.
 */
export class Spool {
  private file: FileHandle | null = null;
  private fileBytes = 0;
  private names: string[];
  private totalBytes: number;
  private pending: SpooledBatch[] = [];
  /** Entries that could not be read back. */
  torn = 0;

  constructor(
    private readonly directory: string,
    private readonly maxBytes: number,
  ) {
    mkdirSync(directory, { recursive: true, mode: 0o700 });
    this.names = readdirSync(directory)
      .filter((n) => NAME.test(n))
      .sort();
    this.totalBytes = this.names.reduce((sum, n) => sum + statSync(join(directory, n)).size, 0);
  }

  get bytes(): number {
    return this.totalBytes;
  }

  get isEmpty(): boolean {
    return this.names.length === 0 && this.pending.length === 0;
  }

  /** The greatest batch number on disk, 0 when there is none. */
  lastNumber(): number {
    const name = this.names[this.names.length - 1];
    if (name === undefined) return 0;
    const first = Number(NAME.exec(name)![1]);
    return this.read(name).reduce((most, b) => Math.max(most, b.number), first);
  }

  /** Appends and syncs. @returns false when the spool is full: the batch is not kept */
  async append(batch: SpooledBatch): Promise<boolean> {
    const body = encode(batch);
    if (this.totalBytes + body.length + HEADER_BYTES > this.maxBytes) return false;
    if (this.file === null || this.fileBytes > FILE_BYTES) await this.startFile(batch.number);
    const header = Buffer.alloc(HEADER_BYTES);
    header.writeUInt32BE(body.length, 0);
    header.writeUInt32BE(crc32(body) >>> 0, 4);
    try {
      await this.file!.appendFile(Buffer.concat([header, body]));
      await this.file!.datasync();
    } catch (e) {
      // a half-written entry would hide all that follow it in this file
      await this.file!.close().catch(() => undefined);
      this.file = null;
      throw e;
    }
    this.fileBytes += body.length + HEADER_BYTES;
    this.totalBytes += body.length + HEADER_BYTES;
    return true;
  }

  /** The oldest batch not yet dropped, or null. */
  async peek(): Promise<SpooledBatch | null> {
    while (this.pending.length === 0) {
      const name = this.names[0];
      if (name === undefined) return null;
      // what is appended from now on goes to a file of its own: this one is read once
      if (this.names.length === 1) await this.close();
      this.pending = this.read(name);
      if (this.pending.length === 0) this.removeFile(name);
    }
    return this.pending[0]!;
  }

  /** Forgets the oldest batch; a file goes when its last batch has gone. */
  async drop(): Promise<void> {
    this.pending.shift();
    if (this.pending.length > 0) return;
    const name = this.names[0];
    if (name === undefined) return;
    this.removeFile(name);
  }

  async close(): Promise<void> {
    await this.file?.close();
    this.file = null;
  }

  private async startFile(number: number): Promise<void> {
    await this.file?.close();
    const name = `spool-${String(number).padStart(16, "0")}.bin`;
    this.file = await open(join(this.directory, name), "a", 0o600);
    this.fileBytes = 0;
    if (!this.names.includes(name)) this.names.push(name);
  }

  private removeFile(name: string): void {
    const path = join(this.directory, name);
    this.totalBytes -= statSync(path).size;
    unlinkSync(path);
    this.names = this.names.filter((n) => n !== name);
  }

  private read(name: string): SpooledBatch[] {
    const bytes = readFileSync(join(this.directory, name));
    const out: SpooledBatch[] = [];
    let at = 0;
    while (at < bytes.length) {
      const length = at + HEADER_BYTES <= bytes.length ? bytes.readUInt32BE(at) : -1;
      const start = at + HEADER_BYTES;
      if (length < 0 || start + length > bytes.length) {
        this.torn++;
        break;
      }
      const body = bytes.subarray(start, start + length);
      if (crc32(body) >>> 0 !== bytes.readUInt32BE(at + 4)) {
        this.torn++;
        break;
      }
      out.push(decode(body));
      at = start + length;
    }
    return out;
  }
}

function encode(batch: SpooledBatch): Buffer {
  const parts: Buffer[] = [];
  const head = Buffer.alloc(20);
  head.writeDoubleBE(batch.number, 0);
  head.writeDoubleBE(batch.throughUs, 8);
  head.writeUInt32BE(batch.arrivals.length, 16);
  parts.push(head);
  for (const a of batch.arrivals) {
    const endpoint = Buffer.from(a.endpoint);
    const peer = Buffer.from(a.peer);
    const fixed = Buffer.alloc(15);
    fixed.writeDoubleBE(a.receivedUs, 0);
    fixed.writeUInt8(a.held ? 1 : 0, 8);
    fixed.writeUInt8(endpoint.length, 9);
    fixed.writeUInt8(peer.length, 10);
    fixed.writeUInt32BE(a.bytes.length, 11);
    parts.push(fixed, endpoint, peer, Buffer.from(a.bytes.buffer, a.bytes.byteOffset, a.bytes.length));
  }
  return Buffer.concat(parts);
}

function decode(body: Buffer): SpooledBatch {
  const arrivals: Arrival[] = [];
  let at = 20;
  for (let i = body.readUInt32BE(16); i > 0; i--) {
    const receivedUs = body.readDoubleBE(at);
    const held = body[at + 8] === 1;
    const endpointEnd = at + 15 + body[at + 9]!;
    const peerEnd = endpointEnd + body[at + 10]!;
    const end = peerEnd + body.readUInt32BE(at + 11);
    arrivals.push({
      receivedUs,
      held,
      endpoint: body.toString("utf8", at + 15, endpointEnd),
      peer: body.toString("utf8", endpointEnd, peerEnd),
      bytes: body.subarray(peerEnd, end),
    });
    at = end;
  }
  return { number: body.readDoubleBE(0), throughUs: body.readDoubleBE(8), arrivals };
}
