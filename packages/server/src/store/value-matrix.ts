import { addCounts, type Count, type HalvikRecord } from "@halvik/core/model/record";
import type { Amount } from "@halvik/core/query/measure";
import type { RowSet } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { eachSource, fewRecords, type PartSource, type SourceVisitor } from "./part-matches.js";
import { amountOf, amountsOfRows } from "./row-amounts.js";
import { scanRecords } from "./scan-records.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";
import { ValueReader, type ValuesOf } from "./values-of.js";

/** Two fields, and how many of the values of each are shown. */
export interface MatrixOf {
  readonly rows: ValuesOf;
  readonly columns: ValuesOf;
  readonly topRows: number;
  readonly topColumns: number;
  readonly by: Amount;
}

/** How two fields go together in the records that have both. */
export interface ValueMatrix {
  /** The most first, with what each makes in all. */
  readonly rows: readonly { readonly value: string; readonly total: Count }[];
  readonly columns: readonly { readonly value: string; readonly total: Count }[];
  /** By row, then by column. */
  readonly cells: readonly (readonly Count[])[];
  /** How many different values each field has. */
  readonly distinctRows: number;
  readonly distinctColumns: number;
  readonly exact: boolean;
  readonly coveredFromUs: number;
  readonly searched: Searched;
}

/** Different pairs kept at once; beyond, the answer is of the newest records. */
const MOST_PAIRS = 500_000;

export async function valueMatrix(db: Queryable, scope: SearchScope, of: MatrixOf): Promise<ValueMatrix> {
  const query = new SearchQuery(db, scope);
  const counting = new PairCounting(query, of);
  return counting.result(await eachSource(query, counting));
}

class PairCounting implements SourceVisitor {
  private readonly pairs = new Map<string, Map<string, Count>>();
  private readonly columnTotals = new Map<string, Count>();
  private readonly rowTotals = new Map<string, Count>();
  private size = 0;
  private readonly rowReader: ValueReader;
  private readonly columnReader: ValueReader;

  constructor(
    private readonly query: SearchQuery,
    private readonly of: MatrixOf,
  ) {
    const { directory, terms } = query.scope;
    this.rowReader = new ValueReader(of.rows, query.db, terms, directory);
    this.columnReader = new ValueReader(of.columns, query.db, terms, directory);
  }

  async fromTerms(source: PartSource, head: PartHead, rows: RowSet): Promise<void> {
    if (rows.isEmpty()) return;
    const few = await fewRecords(this.query, source, rows);
    if (few !== null) {
      for (const record of few) this.addRecord(record);
      return;
    }
    const part = { part: source.part, head };
    const amounts = await amountsOfRows(this.query, this.of.by, source);
    if (amounts === null) {
      this.query.searched.gone++;
      return;
    }
    const first = await this.rowReader.byRow(part, rows);
    const second = await this.columnReader.byRow(part, rows);
    for (const [row, values] of first.entries())
      if (values !== undefined && second[row] !== undefined) this.add(values, second[row], amounts(row) ?? 0);
  }

  scan(source: Source): Promise<boolean> {
    return scanRecords(this.query, source, (record) => {
      this.addRecord(record);
      return this.size < MOST_PAIRS;
    });
  }

  private addRecord(record: HalvikRecord): void {
    const values = [...this.rowReader.ofRecord(record).keys()];
    const others = [...this.columnReader.ofRecord(record).keys()];
    if (values.length > 0 && others.length > 0) this.add(values, others, amountOf(this.of.by, record));
  }

  /** One record: with several values of a field it counts under each, and once in the total of each. */
  private add(values: readonly string[], others: readonly string[], amount: Count): void {
    for (const value of values) {
      this.rowTotals.set(value, addCounts(this.rowTotals.get(value) ?? 0, amount));
      let ofValue = this.pairs.get(value);
      if (ofValue === undefined) {
        ofValue = new Map();
        this.pairs.set(value, ofValue);
      }
      for (const other of others) {
        const before = ofValue.get(other);
        if (before === undefined && ++this.size === MOST_PAIRS) this.query.end();
        ofValue.set(other, addCounts(before ?? 0, amount));
      }
    }
    for (const other of others) this.columnTotals.set(other, addCounts(this.columnTotals.get(other) ?? 0, amount));
  }

  result(openBeforeUs: number | null): ValueMatrix {
    const rows = mostOf(this.rowTotals, this.of.topRows);
    const columns = mostOf(this.columnTotals, this.of.topColumns);
    return {
      rows,
      columns,
      cells: rows.map((r) => columns.map((c) => this.pairs.get(r.value)?.get(c.value) ?? 0)),
      distinctRows: this.rowTotals.size,
      distinctColumns: this.columnTotals.size,
      exact: openBeforeUs === null,
      coveredFromUs: openBeforeUs ?? this.query.fromUs,
      searched: this.query.searched,
    };
  }
}

const mostOf = (totals: ReadonlyMap<string, Count>, top: number): { value: string; total: Count }[] =>
  [...totals]
    .sort(([v, a], [w, b]) => (a < b ? 1 : a > b ? -1 : v < w ? -1 : 1))
    .slice(0, top)
    .map(([value, total]) => ({ value, total }));
