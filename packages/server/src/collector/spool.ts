import { mkdirSync, readdirSync, readFileSync, statSync, unlinkSync } from "node:fs";
import { type FileHandle, open } from "node:fs/promises";
import { join } from "node:path";
import { crc32 } from "node:zlib";
import { type Arrival, PROTOCOLS } from "./arrival.js";

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
  private fileName = "";
  private fileBytes = 0;
  private lastAppended = 0;
  private names: string[];
  private totalBytes: number;
  /** Bodies of the oldest file that are not dropped yet; the first is decoded when it is asked for. */
  private pending: Buffer[] = [];
  private head: SpooledBatch | null = null;
  private pendingName = "";
  /** Ends when the last operation asked for has ended: reading may close a file that another would append to. */
  private turn: Promise<unknown> = Promise.resolve();
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
    return this.read(name).reduce((most, body) => Math.max(most, body.readDoubleBE(0)), first);
  }

  /**
   * Appends and syncs. A batch whose number is lower than the one before (its commit failed while later ones were put here) gets
   * a file of its own, which comes before theirs.
   * @returns false when the spool is full: the batch is not kept
   */
  append(batch: SpooledBatch): Promise<boolean> {
    return this.inTurn(() => this.write(batch));
  }

  private inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = this.turn.then(work);
    this.turn = done.catch(() => undefined);
    return done;
  }

  private async write(batch: SpooledBatch): Promise<boolean> {
    const body = encode(batch);
    if (this.totalBytes + body.length + HEADER_BYTES > this.maxBytes) return false;
    const outOfOrder = batch.number < this.lastAppended;
    if (this.file === null || this.fileBytes > FILE_BYTES || outOfOrder) await this.startFile(batch.number);
    const header = Buffer.alloc(HEADER_BYTES);
    header.writeUInt32BE(body.length, 0);
    header.writeUInt32BE(crc32(body) >>> 0, 4);
    try {
      await this.file!.appendFile(Buffer.concat([header, body]));
      await this.file!.datasync();
    } catch (e) {
      // a half-written entry would hide all that follow it in this file
      await this.closeFile().catch(() => undefined);
      this.file = null;
      throw e;
    }
    this.fileBytes += body.length + HEADER_BYTES;
    this.totalBytes += body.length + HEADER_BYTES;
    if (outOfOrder) await this.closeFile();
    else this.lastAppended = batch.number;
    return true;
  }

  /** The oldest batch not yet dropped, or null. */
  peek(): Promise<SpooledBatch | null> {
    return this.inTurn(() => this.readOldest());
  }

  private async readOldest(): Promise<SpooledBatch | null> {
    while (this.pending.length === 0) {
      const name = this.names[0];
      if (name === undefined) return null;
      // what is appended from now on goes to a file of its own: this one is read once
      if (name === this.fileName) await this.closeFile();
      this.pending = this.read(name);
      this.pendingName = name;
      if (this.pending.length === 0) this.removeFile(name);
    }
    this.head ??= decode(this.pending[0]!);
    return this.head;
  }

  /** Forgets the oldest batch; a file goes when its last batch has gone. */
  drop(): Promise<void> {
    return this.inTurn(async () => {
      this.pending.shift();
      this.head = null;
      if (this.pending.length === 0 && this.names.includes(this.pendingName)) this.removeFile(this.pendingName);
    });
  }

  close(): Promise<void> {
    return this.inTurn(() => this.closeFile());
  }

  private async closeFile(): Promise<void> {
    await this.file?.close();
    this.file = null;
    this.fileName = "";
  }

  private async startFile(number: number): Promise<void> {
    await this.file?.close();
    const name = `spool-${String(number).padStart(16, "0")}.bin`;
    this.file = await open(join(this.directory, name), "a", 0o600);
    this.fileName = name;
    this.fileBytes = 0;
    if (!this.names.includes(name)) this.names = [...this.names, name].sort();
  }

  private removeFile(name: string): void {
    const path = join(this.directory, name);
    this.totalBytes -= statSync(path).size;
    unlinkSync(path);
    this.names = this.names.filter((n) => n !== name);
  }

  /** The bodies of a file's batches, checked. */
  private read(name: string): Buffer[] {
    const bytes = readFileSync(join(this.directory, name));
    const out: Buffer[] = [];
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
      out.push(body);
      at = start + length;
    }
    return out;
  }
}

const BATCH_HEAD_BYTES = 20;
const ARRIVAL_HEAD_BYTES = 15;

/** One allocation for the whole batch: three small buffers an arrival would be the collector's most garbage when it is busiest. */
function encode(batch: SpooledBatch): Buffer {
  let size = BATCH_HEAD_BYTES;
  for (const a of batch.arrivals)
    size += ARRIVAL_HEAD_BYTES + Buffer.byteLength(a.endpoint) + Buffer.byteLength(a.peer) + a.bytes.length;
  const out = Buffer.allocUnsafe(size);
  out.writeDoubleBE(batch.number, 0);
  out.writeDoubleBE(batch.throughUs, 8);
  out.writeUInt32BE(batch.arrivals.length, 16);
  let at = BATCH_HEAD_BYTES;
  for (const a of batch.arrivals) {
    out.writeDoubleBE(a.receivedUs, at);
    out[at + 8] = (a.held ? 1 : 0) | (PROTOCOLS.indexOf(a.protocol) << 1);
    const text = at + ARRIVAL_HEAD_BYTES;
    const endpointBytes = out.write(a.endpoint, text, "utf8");
    const peerBytes = out.write(a.peer, text + endpointBytes, "utf8");
    out[at + 9] = endpointBytes;
    out[at + 10] = peerBytes;
    out.writeUInt32BE(a.bytes.length, at + 11);
    out.set(a.bytes, text + endpointBytes + peerBytes);
    at = text + endpointBytes + peerBytes + a.bytes.length;
  }
  return out;
}

function decode(body: Buffer): SpooledBatch {
  const arrivals: Arrival[] = [];
  let at = 20;
  for (let i = body.readUInt32BE(16); i > 0; i--) {
    const receivedUs = body.readDoubleBE(at);
    const flags = body[at + 8]!;
    const endpointEnd = at + 15 + body[at + 9]!;
    const peerEnd = endpointEnd + body[at + 10]!;
    const end = peerEnd + body.readUInt32BE(at + 11);
    arrivals.push({
      receivedUs,
      held: (flags & 1) === 1,
      protocol: PROTOCOLS[flags >> 1] ?? "syslog",
      endpoint: body.toString("utf8", at + 15, endpointEnd),
      peer: body.toString("utf8", endpointEnd, peerEnd),
      bytes: body.subarray(peerEnd, end),
    });
    at = end;
  }
  return { number: body.readDoubleBE(0), throughUs: body.readDoubleBE(8), arrivals };
}
