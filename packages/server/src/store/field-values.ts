import { addCounts, type Count, type HalvikRecord } from "@halvik/core/model/record";
import type { Measure } from "@halvik/core/query/measure";
import { countRowsIn, eachRowIn, type RowSet } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { eachSource, fewRecords, idsOfRows, type PartSource, type SourceVisitor } from "./part-matches.js";
import { amountOf, amountsOfRows } from "./row-amounts.js";
import { scanRecords } from "./scan-records.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";
import { ValueReader, type ValuesOf } from "./values-of.js";

export interface FieldValues {
  /** The most first; text in lower case, numbers and ids in digits. */
  readonly values: readonly {
    readonly value: string;
    /** As a record has it, where that was looked up. */
    readonly written?: string;
    readonly count: number;
    /** By the measure asked for. */
    readonly amount: Count;
  }[];
  /** How many different ones there are. */
  readonly distinct: number;
  /** What those not listed make: records, and the measure where it adds up. */
  readonly restCount: number;
  readonly restAmount: Count | null;
  /** Records that match, with a value or without. */
  readonly records: number;
  /** False when time was over: these are the values of the newest records only, back to `coveredFromUs`. */
  readonly exact: boolean;
  readonly coveredFromUs: number;
  readonly searched: Searched;
}

/** Values whose way of writing is looked up. */
const MOST_WRITTEN = 50;
/** Different pairs kept at once where values of another field are told apart; beyond, the answer is of the newest records. */
const MOST_PAIRS = 500_000;
export const BY_RECORDS: Measure = { by: "records" };

/** The values of a field in the records that match, with their counts, newest sources first. */
export async function fieldValues(
  db: Queryable,
  scope: SearchScope,
  of: ValuesOf,
  top: number,
  measure: Measure = BY_RECORDS,
): Promise<FieldValues> {
  const query = new SearchQuery(db, scope);
  const counting = new ValueCounting(query, of, measure);
  return counting.result(top, await eachSource(query, counting));
}

interface Tally {
  count: number;
  amount: Count;
  /** Different values of the other field. */
  readonly others: Set<string> | null;
  /** A place where it stands, or how it is written there. */
  written: string | PlaceOf | null;
}

/** Matching rows of a part. */
interface PlaceOf {
  readonly source: PartSource;
  readonly head: PartHead;
  readonly rows: RowSet;
}

class ValueCounting implements SourceVisitor {
  private readonly tallies = new Map<string, Tally>();
  private records = 0;
  private pairs = 0;
  private readonly values: ValueReader;
  private readonly others: ValueReader | null;

  constructor(
    private readonly query: SearchQuery,
    of: ValuesOf,
    private readonly measure: Measure,
  ) {
    const { directory, terms } = query.scope;
    const reader = (what: ValuesOf) => new ValueReader(what, query.db, terms, directory);
    this.values = reader(of);
    this.others = measure.by === "distinct" ? reader({ field: measure.of }) : null;
  }

  async fromTerms(source: PartSource, head: PartHead, rows: RowSet): Promise<void> {
    if (rows.isEmpty()) return;
    const few = await fewRecords(this.query, source, rows);
    if (few !== null) {
      for (const record of few) this.addRecord(record);
      return;
    }
    const part = { part: source.part, head };
    const place: PlaceOf = { source, head, rows };
    const { measure } = this;
    if (measure.by === "records" && this.values.isOfTerms) {
      // by the vocabulary of the field: no row is gone through by itself
      await this.values.eachTerm(part, (value, postings) => {
        const count = countRowsIn(postings, rows);
        if (count > 0) this.add(value, count, count, place);
      });
    } else if (measure.by === "distinct") await this.tellApart(place);
    else {
      const amounts = await amountsOfRows(this.query, measure.by, source);
      if (amounts === null) {
        this.query.searched.gone++;
        return;
      }
      await this.values.eachOfRows(part, rows, (row, value) => this.add(value, 1, amounts(row) ?? 0, place));
    }
    this.records += rows.count();
  }

  /** Values of the other field by those of this one. */
  private async tellApart(place: PlaceOf): Promise<void> {
    const part = { part: place.source.part, head: place.head };
    const ofRow: (Tally[] | undefined)[] = [];
    await this.values.eachOfRows(part, place.rows, (row, value) => {
      const tally = this.add(value, 1, 0, place);
      const there = ofRow[row];
      if (there) there.push(tally);
      else ofRow[row] = [tally];
    });
    await this.others!.eachOfRows(part, place.rows, (row, other) => {
      for (const tally of ofRow[row] ?? []) this.addOther(tally, other);
    });
  }

  async scan(source: Source): Promise<boolean> {
    return scanRecords(this.query, source, (record) => {
      this.addRecord(record);
      return this.pairs < MOST_PAIRS;
    });
  }

  private addRecord(record: HalvikRecord): void {
    this.records++;
    const others = this.others?.ofRecord(record);
    for (const [value, written] of this.values.ofRecord(record)) {
      const { by } = this.measure;
      const tally = this.add(value, 1, by === "distinct" ? 0 : amountOf(by, record), written);
      for (const other of others?.keys() ?? []) this.addOther(tally, other);
    }
  }

  async result(top: number, openBeforeUs: number | null): Promise<FieldValues> {
    const size = (t: Tally): Count => t.others?.size ?? t.amount;
    const sorted = [...this.tallies].sort(
      ([v, a], [w, b]) => compareCounts(size(b), size(a)) || b.count - a.count || (v < w ? -1 : 1),
    );
    const rest = sorted.slice(top).map(([, tally]) => tally);
    const listed = sorted.slice(0, top);
    await this.lookUpWritten(listed.slice(0, MOST_WRITTEN));
    return {
      values: listed.map(([value, tally]) => ({
        value,
        count: tally.count,
        amount: size(tally),
        ...(this.values.folds && typeof tally.written === "string" ? { written: tally.written } : {}),
      })),
      distinct: sorted.length,
      restCount: rest.reduce((sum, { count }) => sum + count, 0),
      restAmount: this.others === null ? rest.reduce<Count>((sum, t) => addCounts(sum, t.amount), 0) : null,
      records: this.records,
      exact: openBeforeUs === null,
      coveredFromUs: openBeforeUs ?? this.query.fromUs,
      searched: this.query.searched,
    };
  }

  /** Terms are in lower case: how a value is written stands in the records that have it. */
  private async lookUpWritten(listed: readonly (readonly [string, Tally])[]): Promise<void> {
    if (!this.values.folds) return;
    const byPlace = new Map<PlaceOf, Set<string>>();
    for (const [value, { written: place }] of listed)
      if (typeof place === "object" && place !== null) {
        const there = byPlace.get(place);
        if (there) there.add(value);
        else byPlace.set(place, new Set([value]));
      }
    for (const [place, wanted] of byPlace) {
      const rows = await this.firstRows(place, wanted);
      const ids = await idsOfRows(this.query, place.source, [...rows.keys()]);
      for (const record of await this.query.readIds(place.source.segment, ids))
        for (const [value, written] of this.values.ofRecord(record)) {
          const tally = this.tallies.get(value);
          if (tally) tally.written = written;
        }
    }
  }

  /** One row for each value of a place. */
  private async firstRows({ source, head, rows }: PlaceOf, wanted: ReadonlySet<string>): Promise<ReadonlySet<number>> {
    const found = new Map<string, number>();
    if (this.values.isOfTerms)
      await this.values.eachTerm({ part: source.part, head }, (value, postings) => {
        if (wanted.has(value)) eachRowIn(postings, rows, (row) => found.has(value) || found.set(value, row));
      });
    else
      await this.values.eachOfRows({ part: source.part, head }, rows, (row, value) => {
        if (wanted.has(value) && !found.has(value)) found.set(value, row);
      });
    return new Set(found.values());
  }

  private add(value: string, count: number, amount: Count, written: Tally["written"]): Tally {
    const tally = this.tallies.get(value);
    if (tally === undefined) {
      const made = { count, amount, others: this.others === null ? null : new Set<string>(), written };
      this.tallies.set(value, made);
      return made;
    }
    tally.count += count;
    tally.amount = addCounts(tally.amount, amount);
    return tally;
  }

  private addOther(tally: Tally, other: string): void {
    const { others } = tally;
    if (others === null || others.has(other)) return;
    others.add(other);
    if (++this.pairs === MOST_PAIRS) this.query.end();
  }
}

const compareCounts = (a: Count, b: Count): number => (a < b ? -1 : a > b ? 1 : 0);
