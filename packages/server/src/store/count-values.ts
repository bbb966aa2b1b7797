import type { FieldName, HalvikRecord } from "@halvik/core/model/record";
import { countRowsIn, type RowSet } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { eachSource, fewRecords, type PartSource, type SourceVisitor } from "./part-matches.js";
import { scanRecords } from "./scan-records.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";
import { ValueReader } from "./values-of.js";

/** What is counted: a field's values, or how the values of two go together. */
export type CountedBy = readonly [FieldName] | readonly [FieldName, FieldName];

export interface ValueCounts {
  readonly records: number;
  /** For each of what was asked, how many records have which value; of two, `first\u0001second`. */
  readonly counts: readonly ReadonlyMap<string, number>[];
  /** Time was over, or values were more than are kept: what is counted is less than there is. */
  readonly complete: boolean;
  readonly searched: Searched;
}

export const PAIR_SEPARATOR = "\u0001";
/** Values kept of all fields together. */
const MOST_KEPT = 1_000_000;

/** Counts the values of several fields in the records that match, in one go through them. */
export async function countValues(db: Queryable, scope: SearchScope, by: readonly CountedBy[]): Promise<ValueCounts> {
  const query = new SearchQuery(db, scope);
  const counting = new Counting(query, by);
  const openUs = query.fromUs < query.toUs ? await eachSource(query, counting) : null;
  return {
    records: counting.records,
    counts: counting.counts,
    complete: openUs === null && counting.kept < MOST_KEPT,
    searched: query.searched,
  };
}

class Counting implements SourceVisitor {
  readonly counts: Map<string, number>[];
  records = 0;
  kept = 0;
  private readonly readers: readonly (readonly ValueReader[])[];

  constructor(
    private readonly query: SearchQuery,
    by: readonly CountedBy[],
  ) {
    const { terms, directory } = query.scope;
    this.counts = by.map(() => new Map());
    this.readers = by.map((fields) => fields.map((field) => new ValueReader({ field }, query.db, terms, directory)));
  }

  async fromTerms(source: PartSource, head: PartHead, rows: RowSet): Promise<void> {
    if (rows.isEmpty()) return;
    const few = await fewRecords(this.query, source, rows);
    if (few !== null) {
      for (const record of few) this.addRecord(record);
      return;
    }
    this.records += rows.count();
    const part = { part: source.part, head };
    for (const [i, [only, second]] of this.readers.entries())
      if (second === undefined)
        await only!.eachTerm(part, (value, postings) => this.add(i, value, countRowsIn(postings, rows)));
      else {
        const [left, right] = [await only!.byRow(part, rows), await second.byRow(part, rows)];
        for (const row of rows.list(0, rows.rows))
          for (const a of left[row] ?? []) for (const b of right[row] ?? []) this.add(i, a + PAIR_SEPARATOR + b, 1);
      }
  }

  scan(source: Source): Promise<boolean> {
    return scanRecords(this.query, source, (record) => {
      this.addRecord(record);
      return this.kept < MOST_KEPT;
    });
  }

  private addRecord(record: HalvikRecord): void {
    this.records++;
    for (const [i, [only, second]] of this.readers.entries()) {
      const left = only!.ofRecord(record).keys();
      if (second === undefined) for (const value of left) this.add(i, value, 1);
      else for (const a of left) for (const b of second.ofRecord(record).keys()) this.add(i, a + PAIR_SEPARATOR + b, 1);
    }
  }

  private add(i: number, value: string, count: number): void {
    if (count === 0) return;
    const of = this.counts[i]!;
    const before = of.get(value);
    if (before === undefined) {
      if (this.kept >= MOST_KEPT) return;
      this.kept++;
    }
    of.set(value, (before ?? 0) + count);
  }
}
