import { mkdirSync, readdirSync, readFileSync, statSync, unlinkSync } from "node:fs";
import { type FileHandle, open } from "node:fs/promises";
import { join } from "node:path";
import { crc32 } from "node:zlib";
import type { Arrival } from "../arrivals/arrival.js";
import { decodeArrivals, encodeArrivals } from "../arrivals/arrival-bytes.js";

/** A file is read back whole: small enough for the collector's memory. */
const FILE_BYTES = 8 * 1024 * 1024;
const NAME = /^spool-(\d{16})\.bin$/;
/** Begins every entry, so that those after a damaged one are found again. */
const MAGIC = Buffer.from("\x89HVspool", "latin1");
/** `[magic][length u32][crc32 of the body u32][crc32 of length and crc u32]` */
const HEADER_BYTES = MAGIC.length + 12;
/** `[length u32][crc32 u32]`: entries of files written before there was a magic. */
const PLAIN_HEADER_BYTES = 8;
const BATCH_HEAD_BYTES = 16;

export interface SpooledBatch {
  readonly number: number;
  readonly throughUs: number;
  readonly arrivals: readonly Arrival[];
}

/** Octets of a spool file that are no entry any more. */
export interface Damage {
  readonly file: string;
  readonly at: number;
  readonly octets: Uint8Array;
}

/**
 * Numbered batches of arrivals on disk while the database is away, replayed in order on return. Append-only files of checksummed
 * entries. What is damaged (a flipped octet, an entry cut by a crash or a full disk) is handed to `onDamage`, and reading goes on with the
 * next entry that is whole.
 */
export class Spool {
  private file: FileHandle | null = null;
  private fileName = "";
  private fileBytes = 0;
  private lastAppended = 0;
  private names: string[];
  private totalBytes: number;
  /** Batches of the oldest file that are not dropped yet, as octets; the first is decoded when it is asked for. */
  private pending: Buffer[] = [];
  private head: SpooledBatch | null = null;
  private pendingName = "";
  /** Ends when the last operation asked for has ended: reading may close a file that another would append to. */
  private turn: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly directory: string,
    private readonly maxBytes: number,
    private readonly onDamage: (damage: Damage) => void = () => undefined,
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
    return entriesOf(this.bytesOf(name)).bodies.reduce((most, body) => Math.max(most, body.readDoubleBE(0)), first);
  }

  /**
   * Appends and syncs. A batch whose number is lower than the one before (its commit failed while later ones were put here) gets
   * a file of its own, which comes before theirs.
   * @returns false when the spool is full: the batch is not kept
   * @throws when the disk refuses; nothing of the batch is left in the file then
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
    const body = encodeArrivals(batch.arrivals, BATCH_HEAD_BYTES);
    body.writeDoubleBE(batch.number, 0);
    body.writeDoubleBE(batch.throughUs, 8);
    const entryBytes = body.length + HEADER_BYTES;
    if (this.totalBytes + entryBytes > this.maxBytes) return false;
    const outOfOrder = batch.number < this.lastAppended;
    if (this.file === null || this.fileBytes > FILE_BYTES || outOfOrder) await this.startFile(batch.number);
    try {
      await this.file!.appendFile(Buffer.concat([headerOf(body), body]));
      await this.file!.datasync();
    } catch (e) {
      await this.takeBack().catch(() => undefined);
      throw e;
    }
    this.fileBytes += entryBytes;
    this.totalBytes += entryBytes;
    if (outOfOrder) await this.closeFile();
    else this.lastAppended = batch.number;
    return true;
  }

  /** A half-written entry is cut off again; a file that holds nothing goes. */
  private async takeBack(): Promise<void> {
    const name = this.fileName;
    await this.file?.truncate(this.fileBytes).catch(() => undefined);
    await this.closeFile();
    if (this.fileBytes > 0) return;
    unlinkSync(join(this.directory, name));
    this.names = this.names.filter((n) => n !== name);
  }

  /** The oldest batch not yet dropped, or null. */
  peek(): Promise<SpooledBatch | null> {
    return this.inTurn(() => this.readOldest());
  }

  private async readOldest(): Promise<SpooledBatch | null> {
    for (;;) {
      while (this.pending.length === 0) {
        const name = this.names[0];
        if (name === undefined) return null;
        // what is appended from now on goes to a file of its own: this one is read once
        if (name === this.fileName) await this.closeFile();
        const { bodies, damaged } = entriesOf(this.bytesOf(name));
        for (const { at, octets } of damaged) this.onDamage({ file: name, at, octets });
        this.pending = bodies;
        this.pendingName = name;
        if (bodies.length === 0) this.removeFile(name);
      }
      if (this.head !== null) return this.head;
      const body = this.pending[0]!;
      try {
        this.head = {
          number: body.readDoubleBE(0),
          throughUs: body.readDoubleBE(8),
          arrivals: decodeArrivals(body, BATCH_HEAD_BYTES),
        };
        return this.head;
      } catch {
        this.onDamage({ file: this.pendingName, at: 0, octets: body });
        this.dropHead();
      }
    }
  }

  /** Forgets the oldest batch; a file goes when its last batch has gone. */
  drop(): Promise<void> {
    return this.inTurn(async () => this.dropHead());
  }

  private dropHead(): void {
    this.pending.shift();
    this.head = null;
    if (this.pending.length === 0 && this.names.includes(this.pendingName)) this.removeFile(this.pendingName);
  }

  close(): Promise<void> {
    return this.inTurn(() => this.closeFile());
  }

  private async closeFile(): Promise<void> {
    const { file } = this;
    this.file = null;
    this.fileName = "";
    await file?.close();
  }

  private async startFile(number: number): Promise<void> {
    await this.closeFile();
    const name = `spool-${String(number).padStart(16, "0")}.bin`;
    this.file = await open(join(this.directory, name), "a", 0o600);
    this.fileName = name;
    this.fileBytes = (await this.file.stat()).size;
    if (!this.names.includes(name)) this.names = [...this.names, name].sort();
  }

  private removeFile(name: string): void {
    const path = join(this.directory, name);
    this.totalBytes -= statSync(path).size;
    unlinkSync(path);
    this.names = this.names.filter((n) => n !== name);
  }

  private bytesOf(name: string): Buffer {
    return readFileSync(join(this.directory, name));
  }
}

function headerOf(body: Buffer): Buffer {
  const header = Buffer.alloc(HEADER_BYTES);
  MAGIC.copy(header);
  header.writeUInt32BE(body.length, MAGIC.length);
  header.writeUInt32BE(crc32(body) >>> 0, MAGIC.length + 4);
  header.writeUInt32BE(crc32(header.subarray(MAGIC.length, MAGIC.length + 8)) >>> 0, MAGIC.length + 8);
  return header;
}

interface Entries {
  readonly bodies: Buffer[];
  readonly damaged: { readonly at: number; readonly octets: Buffer }[];
}

/** The whole entries of a file, and what lies between them. */
function entriesOf(bytes: Buffer): Entries {
  const out: Entries = { bodies: [], damaged: [] };
  let at = 0;
  let damagedFrom = -1;
  const endDamage = (end: number) => {
    if (damagedFrom >= 0) out.damaged.push({ at: damagedFrom, octets: bytes.subarray(damagedFrom, end) });
    damagedFrom = -1;
  };
  while (at < bytes.length) {
    const entry = entryAt(bytes, at) ?? (damagedFrom < 0 ? plainEntryAt(bytes, at) : null);
    if (entry !== null) {
      endDamage(at);
      out.bodies.push(bytes.subarray(entry.start, entry.end));
      at = entry.end;
      continue;
    }
    if (damagedFrom < 0) damagedFrom = at;
    const next = bytes.indexOf(MAGIC, at + 1);
    at = next < 0 ? bytes.length : next;
  }
  endDamage(bytes.length);
  return out;
}

function entryAt(bytes: Buffer, at: number): { start: number; end: number } | null {
  const start = at + HEADER_BYTES;
  if (start > bytes.length || bytes.compare(MAGIC, 0, MAGIC.length, at, at + MAGIC.length) !== 0) return null;
  const counts = at + MAGIC.length;
  if (crc32(bytes.subarray(counts, counts + 8)) >>> 0 !== bytes.readUInt32BE(counts + 8)) return null;
  return bodyAt(bytes, start, bytes.readUInt32BE(counts), bytes.readUInt32BE(counts + 4));
}

function plainEntryAt(bytes: Buffer, at: number): { start: number; end: number } | null {
  if (at + PLAIN_HEADER_BYTES > bytes.length) return null;
  return bodyAt(bytes, at + PLAIN_HEADER_BYTES, bytes.readUInt32BE(at), bytes.readUInt32BE(at + 4));
}

function bodyAt(bytes: Buffer, start: number, length: number, crc: number): { start: number; end: number } | null {
  const end = start + length;
  const fits = length >= BATCH_HEAD_BYTES + 4 && end <= bytes.length;
  return fits && crc32(bytes.subarray(start, end)) >>> 0 === crc ? { start, end } : null;
}
