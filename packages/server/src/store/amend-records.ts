import type { HalvikRecord, RecordContent } from "@halvik/core/model/record";
import { PartBuilder } from "@halvik/core/query/terms";
import { failureOf } from "../kernel/db/failure.js";
import { type Client, type Queryable, savepoint } from "../kernel/db/pool.js";
import { RECORD_COLUMNS, type StoredContent, toRecord } from "./record-columns.js";
import { COLLECTOR_BITS } from "./record-id.js";
import { readRows, selectFrom } from "./record-rows.js";
import { RollupSums } from "./rollups.js";
import { ValuesSeen } from "./sightings.js";
import type { Source } from "./sources.js";
import { replacePart } from "./term-index.js";

/**
 * Records that are read anew. What they say changes where it stands, so that searches, terms, sums and rules see one record; what it said before is kept
 * beside it (`amended_record`), and taken back from there. Its text, bytes, times and sender never change (`segments.amend`).
 */
const AMENDED = new Set([
  ...["kind", "severity", "category", "outcome", "action", "protocol", "host", "app", "process", "event", "interface"],
  ...["original_severity", "bytes", "packets", "src", "dst", "src_port", "dst_port", "other_addresses", "users"],
  ...["data", "marks", "problem"],
]);
const READ_AT_ONCE = 4_096;
const COLUMNS = RECORD_COLUMNS.filter((c) => AMENDED.has(c.name));

/** What of a record may be amended, by column, as the database takes it as JSON. */
export type AmendedColumns = Readonly<Record<string, unknown>>;

/** One record and what it becomes. */
export interface Amendment {
  readonly record: HalvikRecord;
  readonly to: RecordContent;
}

const columnsOf = (id: string, content: RecordContent): AmendedColumns => {
  const stored: StoredContent = { id: { us: 0, collector: 0 }, sender: 0, endpoint: "", copyOf: null, content };
  return Object.fromEntries([
    ["id", id],
    ...COLUMNS.map(({ name, value }) => {
      const of = value(stored);
      return [name, typeof of === "bigint" ? String(of) : of] as const;
    }),
  ]);
};

/** The first record that a reading amended, by segment and id; null: none. */
export async function firstAmended(db: Queryable, reading: number): Promise<{ segment: string; id: string } | null> {
  const { rows } = await db.query<{ segment: string; id: string }>(
    "select segment, id::text from amended_record where reading = $1 order by segment, id limit 1",
    [reading],
  );
  return rows[0] ?? null;
}

/** Records of a segment that a reading amended, up to an id, with what they had been before. */
export async function amendedOf(
  db: Queryable,
  reading: number,
  segment: string,
  upTo: string,
  most: number,
): Promise<Map<string, AmendedColumns>> {
  const { rows } = await db.query<{ id: string; before: AmendedColumns }>(
    "select id::text, before from amended_record where reading = $1 and segment = $2 and id <= $3::bigint order by id limit $4",
    [reading, segment, upTo, most],
  );
  return new Map(rows.map((r) => [r.id, r.before]));
}

/** What records were before a format amended them. @param format those that another one amended are left out */
export async function amendedBefore(
  db: Queryable,
  records: readonly HalvikRecord[],
  format: number,
): Promise<ReadonlyMap<string, HalvikRecord>> {
  const { rows } = await db.query<{ id: string; before: AmendedColumns }>(
    `select a.id::text, a.before from amended_record a join format_reading r on r.id = a.reading
     where a.id = any($1::bigint[]) and r.format = $2`,
    [records.map((r) => r.id), format],
  );
  const before = new Map(rows.map((r) => [r.id, r.before]));
  return new Map(
    records.flatMap((record) => {
      const columns = before.get(record.id);
      return columns === undefined ? [] : [[record.id, asItWas(record, columns)] as const];
    }),
  );
}

export interface RecordAmended {
  readonly reading: number;
  readonly format: string;
  readonly version: number;
  readonly atUs: number;
  /** What it was as it arrived, by column. */
  readonly before: AmendedColumns;
}

/** By what a record was read anew, and what it was before; null: it is as it arrived. */
export async function amendedRecord(db: Queryable, id: string): Promise<RecordAmended | null> {
  const { rows } = await db.query<RecordAmended>(
    `select a.reading, r.body->>'name' as format, r.version, r.changed_us as "atUs", a.before
     from amended_record a join format_reading r on r.id = a.reading where a.id = $1::bigint`,
    [id],
  );
  return rows[0] ?? null;
}

/** Formats that read records of a window anew, by name; what was taken back does not count. */
export async function amendedBy(db: Queryable, fromUs: number, toUs: number): Promise<string[]> {
  const { rows } = await db.query<{ name: string }>(
    `select distinct body->>'name' as name from format_reading
     where amended > 0 and state <> 'taken back' and from_us < $2 and to_us > $1 order by 1`,
    [fromUs, toUs],
  );
  return rows.map((r) => r.name);
}

/** A record with what it was before. */
export function asItWas(record: HalvikRecord, columns: AmendedColumns): HalvikRecord {
  const count = (n: unknown): string | null => (n === null ? null : String(n));
  const was = toRecord({ ...columns, bytes: count(columns.bytes), packets: count(columns.packets) });
  return {
    ...record,
    ...{ kind: was.kind, severity: was.severity, originalSeverity: was.originalSeverity, category: was.category },
    ...{ outcome: was.outcome, action: was.action, protocol: was.protocol, host: was.host, app: was.app },
    ...{ process: was.process, event: was.event, interface: was.interface, bytes: was.bytes, packets: was.packets },
    ...{ src: was.src, dst: was.dst, srcPort: was.srcPort, dstPort: was.dstPort, users: was.users, data: was.data },
    ...{ otherAddresses: was.otherAddresses, marks: was.marks, problem: was.problem },
  };
}

/** Amends the records of one source, within a transaction, and in the end renews what is known of them all. */
export class Amending {
  private readonly gone = new RollupSums();
  private readonly come = new RollupSums();
  private readonly lost = new ValuesSeen();
  private readonly found = new ValuesSeen();
  private isChanged = false;
  /** Records that the database would not take as they became. */
  refused = 0;

  constructor(
    private readonly client: Client,
    private readonly source: Source,
    private readonly nowUs: number,
  ) {}

  /** Notes what they were, the first time, and makes them what they become. @returns how many it did */
  async amend(reading: number, amendments: readonly Amendment[]): Promise<number> {
    if (amendments.length === 0) return 0;
    const done = await this.put(amendments.map((a) => columnsOf(a.record.id, a.to)));
    const amended = amendments.filter((a) => done.has(a.record.id));
    await this.client.query(
      `insert into amended_record (id, segment, reading, before)
       select (b->>'id')::bigint, $1, $2, b from jsonb_array_elements($3::jsonb) b
       on conflict (id) do update set reading = excluded.reading`,
      [this.source.segment, reading, JSON.stringify(amended.map((a) => columnsOf(a.record.id, a.record)))],
    );
    this.note(amended);
    return amended.length;
  }

  /** Makes records what they were, and forgets that they were anything else. */
  async takeBack(before: ReadonlyMap<string, AmendedColumns>): Promise<void> {
    const ids = [...before.keys()];
    const { rows } = await this.client.query(`${selectFrom(this.source.segment)} where r.id = any($1::bigint[])`, [
      ids,
    ]);
    const { size } = await this.put([...before.values()]);
    // forgotten what they were they would stay amended for ever
    if (size < ids.length) throw new Error(`${ids.length - size} records cannot be made what they were`);
    await this.client.query("delete from amended_record where id = any($1::bigint[])", [ids]);
    this.note(
      readRows(this.source.segment, rows).map((record) => ({ record, to: asItWas(record, before.get(record.id)!) })),
    );
  }

  /** Writes what follows from it: sums, values seen, and the terms of the part anew. */
  async finish(): Promise<void> {
    if (!this.isChanged) return;
    await this.gone.takeOut(this.client);
    await this.come.write(this.client);
    const { part, segment, collector, firstId, lastId } = this.source;
    // what is not indexed yet is looked through when it is
    if (part === null) return;
    await this.lost.takeOut(this.client);
    await this.found.write(this.client);
    const builder = new PartBuilder();
    let after = (BigInt(firstId!) - 1n).toString();
    for (;;) {
      const { rows } = await this.client.query(
        `${selectFrom(segment)} where r.id > $1::bigint and r.id <= $2::bigint order by r.id limit ${READ_AT_ONCE}`,
        [after, lastId],
      );
      for (const record of readRows(segment, rows)) {
        builder.add(record, { timeUs: record.timeUs, storedUs: Number(BigInt(record.id) >> COLLECTOR_BITS) });
        after = record.id;
      }
      if (rows.length < READ_AT_ONCE) break;
    }
    const ids = { first: firstId!, last: lastId! };
    await replacePart(this.client, { name: segment, collector }, part, builder.finish(), ids, this.nowUs);
  }

  private note(changed: readonly Amendment[]): void {
    this.isChanged ||= changed.length > 0;
    for (const { record, to } of changed) {
      const now = { ...record, ...to };
      if (record.kind !== to.kind || record.severity !== to.severity) {
        this.gone.add({ sender: record.sender, content: record });
        this.come.add({ sender: record.sender, content: to });
      }
      this.lost.add(record, now);
      this.found.add(now, record);
    }
  }

  /** One that the database refuses is left as it is, and counted; the others are not. @returns the ids of those it took */
  private async put(rows: readonly AmendedColumns[]): Promise<ReadonlySet<unknown>> {
    let isTaken = false;
    await savepoint(
      this.client,
      async () => {
        await this.client.query("select segments.amend($1, $2::jsonb)", [this.source.segment, JSON.stringify(rows)]);
        isTaken = true;
      },
      (e) => failureOf(e) === "refused",
    );
    if (isTaken) return new Set(rows.map((r) => r.id));
    if (rows.length === 1) {
      this.refused++;
      return new Set();
    }
    const half = Math.ceil(rows.length / 2);
    return new Set([...(await this.put(rows.slice(0, half))), ...(await this.put(rows.slice(half)))]);
  }
}
