import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { US_PER_DAY, US_PER_MINUTE } from "@halvik/core/base/time";
import type pg from "pg";
import { from as copyFrom } from "pg-copy-streams";
import { failureOf } from "../kernel/db/failure.js";
import type { Queryable } from "../kernel/db/pool.js";
import { CopyEncoder } from "./copy-binary.js";
import { FLOW_COLUMNS, FLOW_COPY_COLUMNS, FLOW_COPY_TYPES } from "./flow-columns.js";
import { COPY_COLUMNS, COPY_TYPES, RECORD_COLUMNS, type StoredContent } from "./record-columns.js";
import { formatRecordId } from "./record-id.js";
import { RollupSums } from "./rollups.js";
import { closeSegment } from "./segment-life.js";
import { openSegment, type SegmentKind, type Shape, segmentTable } from "./segments.js";

/** The channel that tells whoever follows the store of a new batch: payload `collector number`. */
export const BATCH_CHANNEL = "halvik_batch";

const SEGMENT_MAX_ROWS = 1_000_000;
/** A segment older than this takes no more rows. */
export const SEGMENT_MAX_AGE_US = US_PER_DAY;
export const LATE_AFTER_US = 10 * US_PER_MINUTE;

export interface Batch {
  readonly number: number;
  readonly records: readonly StoredContent[];
  /** Every record that arrived at this collector before this moment is in this batch or an earlier one. */
  readonly throughUs: number;
  /** Whether rules look at it: always for what was heard, by choice for imports. */
  readonly runRules: boolean;
}

/** Records that are stored together or not at all, with the work that belongs to them. */
export interface Piece {
  readonly records: readonly StoredContent[];
  readonly also?: (client: pg.Client) => Promise<void>;
}

/** What became of a batch that was refused as a whole. */
export interface Salvaged<P> {
  /** Refused by themselves; `kept`: what stands for them is stored. */
  readonly refused: { readonly piece: P; readonly reason: Error; readonly kept: boolean }[];
  /** Not tried by themselves: the time was over, or they were refused with others of their sender. */
  readonly left: { readonly piece: P; readonly reason: Error }[];
  /** Why other work of the batch was refused. */
  readonly others: Error[];
}

/** How long a batch may be taken apart (`performance.now`): poison must not multiply work. */
export interface SalvageTime {
  /** After it nothing is halved any more. */
  readonly halveUntilMs: number;
  /** Until it what is left is tried once more by sender, so that nobody's records stay out for another's. */
  readonly endMs: number;
}

/** How each shape of row is written. */
const WRITTEN = {
  record: { columns: RECORD_COLUMNS, names: COPY_COLUMNS },
  flow: { columns: FLOW_COLUMNS, names: FLOW_COPY_COLUMNS },
} as const;

/** Rows in one piece of what is sent: while the server reads one, the next is written. */
const PIECE_ROWS = 250;

/** Rows as COPY takes them, piece by piece. */
function* inPieces(encoder: CopyEncoder, shape: Shape, records: readonly StoredContent[]): Generator<Buffer> {
  const { columns } = WRITTEN[shape];
  encoder.restart();
  const values: unknown[] = new Array(columns.length);
  for (let n = 0; n < records.length; n++) {
    const record = records[n]!;
    for (let i = 0; i < columns.length; i++) values[i] = columns[i]!.value(record);
    encoder.row(values);
    if ((n + 1) % PIECE_ROWS === 0) yield encoder.takePiece();
  }
  yield encoder.finish();
}

interface Target {
  readonly kind: SegmentKind;
  readonly shape: Shape;
  readonly keepDays: number | null;
  readonly records: StoredContent[];
}

const segmentKey = (kind: SegmentKind, shape: Shape, keepDays: number | null): string =>
  `${shape} ${kind} ${keepDays ?? ""}`;

/** By whose records they are; those that only wait for a sender to be admitted are one. */
function bySender<L extends { readonly piece: Piece }>(late: readonly L[]): L[][] {
  const out = new Map<number | undefined, L[]>();
  for (const one of late) {
    const sender = one.piece.records[0]?.sender;
    const own = out.get(sender);
    if (own) own.push(one);
    else out.set(sender, [one]);
  }
  return [...out.values()];
}

interface OpenSegment {
  name: string;
  rows: number;
  createdUs: number;
}

/**
 * Writes one collector's batches, each in one transaction with its number, segment bounds and rollups. Only one writer per
 * collector number may live at a time: see `claimCollector`.
 */
export class BatchWriter {
  private readonly open = new Map<string, OpenSegment>();
  /** Their memory serves every batch: one is sent whole before the next begins. */
  private readonly encoders = { record: new CopyEncoder(COPY_TYPES), flow: new CopyEncoder(FLOW_COPY_TYPES) };
  constructor(
    private readonly client: pg.Client,
    readonly collector: number,
    /** The import whose records these are; null: they were heard. */
    private readonly job: number | null,
    /** Days a record is kept when not as long as all others of its shape: such records lie in segments of their own. */
    private readonly keepDays: (record: StoredContent) => number | null = () => null,
  ) {}

  /** @param alsoInTransaction work of the caller that belongs to the same commit */
  async commit(batch: Batch, nowUs: number, alsoInTransaction?: (client: pg.Client) => Promise<void>): Promise<void> {
    await this.transaction(async () => {
      await this.write(batch.records, nowUs);
      await this.number(batch, batch.records, nowUs);
      await alsoInTransaction?.(this.client);
    });
  }

  /**
   * Commits a batch that was refused as a whole, piece by piece: halves what is refused until the pieces that cannot be stored stand alone.
   * One transaction still, so that the batch has its number or has not.
   * @param pieces what goes in or stays out together
   * @param replace what stands for a single piece that is refused; null: nothing does
   * @returns the pieces that were refused, and those time did not suffice for
   */
  async salvage<P extends Piece>(
    batch: Omit<Batch, "records">,
    pieces: readonly P[],
    replace: (piece: P, reason: Error) => P | null,
    nowUs: number,
    time: SalvageTime,
    alsoInTransaction: readonly ((client: pg.Client) => Promise<void>)[],
  ): Promise<Salvaged<P>> {
    const out: Salvaged<P> = { refused: [], left: [], others: [] };
    const written: StoredContent[] = [];
    const late: { readonly piece: P; readonly reason: Error }[] = [];
    const whole = async (part: readonly P[]): Promise<Error | null> => {
      const records = part.flatMap((p) => p.records);
      const reason = await this.attempt(async () => {
        await this.write(records, nowUs);
        for (const piece of part) await piece.also?.(this.client);
      });
      if (reason === null) for (const record of records) written.push(record);
      return reason;
    };
    const refuse = async (piece: P, reason: Error): Promise<void> => {
      const instead = replace(piece, reason);
      const kept = instead !== null && (await this.attempt(() => this.write(instead.records, nowUs))) === null;
      if (kept) for (const record of instead.records) written.push(record);
      out.refused.push({ piece, reason, kept });
    };
    const put = async (part: readonly P[]): Promise<void> => {
      const reason = await whole(part);
      if (reason === null) return;
      if (part.length === 1) await refuse(part[0]!, reason);
      else if (performance.now() > time.halveUntilMs) for (const piece of part) late.push({ piece, reason });
      else {
        await put(part.slice(0, part.length / 2));
        await put(part.slice(part.length / 2));
      }
    };
    const putLate = async (own: typeof late): Promise<void> => {
      const isOver = performance.now() > time.endMs;
      const reason = isOver ? own[0]!.reason : await whole(own.map((l) => l.piece));
      if (reason === null) return;
      if (own.length === 1 && !isOver) await refuse(own[0]!.piece, reason);
      else for (const { piece } of own) out.left.push({ piece, reason });
    };
    await this.transaction(async () => {
      await put(pieces);
      for (const own of bySender(late)) await putLate(own);
      // whoever reads a batch reads from its first to its last id
      written.sort((a, b) => a.id.us - b.id.us);
      await this.number(batch, written, nowUs);
      for (const work of alsoInTransaction) {
        const reason = await this.attempt(() => work(this.client));
        if (reason !== null) out.others.push(reason);
      }
    });
    return out;
  }

  private async transaction(work: () => Promise<void>): Promise<void> {
    await this.client.query("begin");
    try {
      await work();
      await this.client.query("commit");
    } catch (e) {
      // what the catalogue says is read again: the transaction took its segments with it
      this.open.clear();
      await this.client.query("rollback").catch(() => undefined);
      throw e;
    }
  }

  /** Work within the transaction that may be refused without taking the rest along. @returns why it was, or null */
  private async attempt(work: () => Promise<unknown>): Promise<Error | null> {
    await this.client.query("savepoint piece");
    try {
      await work();
      await this.client.query("release savepoint piece");
      return null;
    } catch (e) {
      if (failureOf(e) === "outage" || failureOf(e) === "again") throw e;
      this.open.clear();
      await this.client.query("rollback to savepoint piece");
      return e instanceof Error ? e : new Error(String(e));
    }
  }

  private async write(records: readonly StoredContent[], nowUs: number): Promise<void> {
    if (records.length === 0) return;
    for (const target of this.bySegment(records)) await this.copy(target, nowUs);
    const sums = new RollupSums();
    for (const record of records) sums.add(record);
    await sums.write(this.client);
    await this.keepRaw(records);
  }

  private async number(batch: Omit<Batch, "records">, records: readonly StoredContent[], nowUs: number): Promise<void> {
    const first = records[0];
    const last = records[records.length - 1];
    await this.client.query(
      "insert into batch (collector, number, rows, low_id, high_id, through_us, run_rules, committed_us) values ($1, $2, $3, $4, $5, $6, $7, $8)",
      [
        this.collector,
        batch.number,
        records.length,
        first ? formatRecordId(first.id) : null,
        last ? formatRecordId(last.id) : null,
        batch.throughUs,
        batch.runRules,
        nowUs,
      ],
    );
    await this.client.query("select pg_notify($1, $2)", [BATCH_CHANNEL, `${this.collector} ${batch.number}`]);
  }

  /** Closes the open segments for good; an import does so at its end. */
  async close(): Promise<void> {
    for (const { name } of this.open.values()) await closeSegment(this.client, name);
    this.open.clear();
  }

  private bySegment(records: readonly StoredContent[]): Iterable<Target> {
    const out = new Map<string, Target>();
    for (const record of records) {
      const late = record.content.receivedUs - record.content.timeUs > LATE_AFTER_US;
      const heard = late || record.content.marks.includes("held") ? "late" : "live";
      const kind: SegmentKind = this.job === null ? heard : "import";
      const shape: Shape = record.content.flow === null ? "record" : "flow";
      const keepDays = this.keepDays(record);
      const key = segmentKey(kind, shape, keepDays);
      const target = out.get(key);
      if (target) target.records.push(record);
      else out.set(key, { kind, shape, keepDays, records: [record] });
    }
    return out.values();
  }

  private async copy({ kind, shape, keepDays, records }: Target, nowUs: number): Promise<void> {
    const segment = await this.segment(kind, shape, keepDays, nowUs);
    let minTime = Number.POSITIVE_INFINITY;
    let maxTime = Number.NEGATIVE_INFINITY;
    for (const { content } of records) {
      minTime = Math.min(minTime, content.timeUs);
      maxTime = Math.max(maxTime, content.timeUs);
    }
    const copy = this.client.query(
      copyFrom(`copy ${segmentTable(segment.name)} (${WRITTEN[shape].names}) from stdin (format binary)`),
    );
    await pipeline(Readable.from(inPieces(this.encoders[shape], shape, records)), copy);
    await this.client.query(
      "update segment set rows = rows + $2, min_time = least(min_time, $3), max_time = greatest(max_time, $4), min_id = least(min_id, $5), max_id = greatest(max_id, $6) where name = $1",
      [
        segment.name,
        records.length,
        minTime,
        maxTime,
        formatRecordId(records[0]!.id),
        formatRecordId(records[records.length - 1]!.id),
      ],
    );
    segment.rows += records.length;
  }

  private async segment(kind: SegmentKind, shape: Shape, keepDays: number | null, nowUs: number): Promise<OpenSegment> {
    const key = segmentKey(kind, shape, keepDays);
    let segment = this.open.get(key);
    if (segment && (segment.rows >= SEGMENT_MAX_ROWS || nowUs - segment.createdUs > SEGMENT_MAX_AGE_US)) {
      await closeSegment(this.client, segment.name);
      segment = undefined;
    }
    if (!segment) {
      segment = await openSegment(this.client, this.collector, { kind, shape, keepDays, job: this.job }, nowUs);
      this.open.set(key, segment);
    }
    return segment;
  }

  private async keepRaw(records: readonly StoredContent[]): Promise<void> {
    const kept = records.filter((r) => r.content.raw !== null);
    if (kept.length === 0) return;
    await this.client.query("insert into raw_bytes (id, raw) select * from unnest($1::bigint[], $2::bytea[])", [
      kept.map((r) => formatRecordId(r.id)),
      kept.map((r) => Buffer.from(r.content.raw!)),
    ]);
  }
}

/** Has a connection told of each committed batch, as “collector number”. */
export async function listenToBatches(db: Queryable): Promise<void> {
  await db.query(`listen ${BATCH_CHANNEL}`);
}

/** Bounds of ids that one collector gave: those of others lie between them. */
export interface BatchIds {
  readonly collector: number;
  readonly low: string;
  readonly high: string;
}

/** The bounds of what these batches hold, by collector. */
export async function idsOfBatches(
  db: Queryable,
  batches: readonly { readonly collector: number; readonly number: number }[],
): Promise<BatchIds[]> {
  const { rows } = await db.query<BatchIds>(
    `select collector, min(b.low_id)::text as low, max(b.high_id)::text as high
     from unnest($1::int[], $2::bigint[]) w (collector, number) join batch b using (collector, number) where b.low_id is not null group by collector`,
    [batches.map((b) => b.collector), batches.map((b) => b.number)],
  );
  return rows;
}

export async function isBatchStored(db: Queryable, collector: number, number: number): Promise<boolean> {
  const { rowCount } = await db.query("select 1 from batch where collector = $1 and number = $2", [collector, number]);
  return (rowCount ?? 0) > 0;
}

/** What the rules have followed long ago is not needed any more; the newest stay, numbers continue from them. */
export async function forgetFollowedBatches(db: Queryable, beforeUs: number): Promise<void> {
  await db.query(
    "delete from batch b using engine_cursor e where e.collector = b.collector and b.number < e.number - 100 and b.committed_us < $1",
    [beforeUs],
  );
}

/** How many records live collectors stored after a moment, and since when there are any. */
export async function storedSince(db: Queryable, afterUs: number): Promise<{ rows: number; sinceUs: number | null }> {
  const { rows } = await db.query<{ n: number; since: number | null }>(
    "select coalesce(sum(rows), 0)::bigint as n, min(committed_us) as since from batch b join collector c on c.number = b.collector where c.kind = 'live' and committed_us > $1",
    [afterUs],
  );
  return { rows: rows[0]!.n, sinceUs: rows[0]!.since };
}
