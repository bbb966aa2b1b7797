import { fold } from "@halvik/core/base/text";
import {
  dataValues,
  type FieldName,
  type FieldValue,
  field,
  fieldNamed,
  type HalvikRecord,
  TRAFFIC_KINDS,
} from "@halvik/core/model/record";
import {
  blocksWithPrefix,
  countRowsIn,
  dataPrefix,
  eachRowIn,
  hasTerms,
  type RowSet,
  readTerms,
  termPrefix,
} from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { eachSource, type PartSource, type SourceVisitor } from "./part-matches.js";
import { readRows, selectFrom } from "./record-rows.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";

/** Which values: of a field of the table, or of a named value. */
export type ValuesOf = { readonly field: FieldName } | { readonly data: string };

export interface FieldValues {
  /** The most frequent first; as terms have them: text in lower case, numbers and ids in digits. */
  readonly values: readonly { readonly value: string; readonly count: number }[];
  /** How many different ones there are, and how many records the ones not listed make. */
  readonly distinct: number;
  readonly restCount: number;
  /** Records that match, with a value or without. */
  readonly records: number;
  /** False when time was over: these are the values of the newest records only, back to `coveredFromUs`. */
  readonly exact: boolean;
  readonly coveredFromUs: number;
  readonly searched: Searched;
}

const READ_AT_ONCE = 5_000;

/** Fields whose values can be counted: all that have terms, and the named values among the table's fields. */
export const hasValues = (name: string): boolean => {
  const known = fieldNamed(name);
  return known !== undefined && (hasTerms(known.name as FieldName) || known.dataName !== undefined);
};

/** The values of a field in the records that match, with their counts, newest sources first. */
export async function fieldValues(db: Queryable, scope: SearchScope, of: ValuesOf, top: number): Promise<FieldValues> {
  const query = new SearchQuery(db, scope);
  const counting = new ValueCounting(query, of);
  return counting.result(top, await eachSource(query, counting));
}

/** No port and no protocol is less than 0. */
const NOTHING = -1;

class ValueCounting implements SourceVisitor {
  private readonly counts = new Map<string, number>();
  private records = 0;
  private readonly prefix: string;
  private readonly get: (r: HalvikRecord) => readonly FieldValue[];
  private readonly isApplication: boolean;

  constructor(
    private readonly query: SearchQuery,
    of: ValuesOf,
  ) {
    const dataName = "data" in of ? of.data : field(of.field).dataName;
    this.prefix = dataName === undefined ? termPrefix((of as { field: FieldName }).field) : dataPrefix(dataName);
    const folds = dataName !== undefined || field((of as { field: FieldName }).field).type === "text";
    const { applications } = query.scope.directory;
    const values = (r: HalvikRecord) =>
      dataName === undefined ? field((of as { field: FieldName }).field).get(r, applications) : dataValues(r, dataName);
    this.isApplication = "field" in of && of.field === "application";
    this.get = folds ? (r) => values(r).map((v) => fold(String(v))) : values;
  }

  /** Counts by the vocabulary of the field: its rows are in the index, no record is read. */
  async fromTerms({ part }: PartSource, { firstTerms }: PartHead, rows: RowSet): Promise<void> {
    if (rows.isEmpty()) return;
    this.records += rows.count();
    if (this.isApplication) await this.applications(part, firstTerms, rows);
    else
      await this.eachTerm(part, firstTerms, this.prefix, (value, postings) => {
        const count = countRowsIn(postings, rows);
        if (count > 0) this.add(value, count);
      });
  }

  /** The terms that begin with a prefix, without it, each with its rows as they are stored. */
  private async eachTerm(
    part: number,
    firstTerms: readonly string[],
    prefix: string,
    visit: (value: string, postings: Uint8Array) => void,
  ): Promise<void> {
    const { db, scope } = this.query;
    const [from, to] = blocksWithPrefix(firstTerms, prefix);
    const numbers = new Set(Array.from({ length: to - from }, (_, i) => from + i));
    const blocks = (await scope.terms.readBlocks(db, new Map([[part, numbers]]))).get(part);
    for (const block of blocks?.values() ?? [])
      readTerms(block.terms, (term, rowsFrom, rowsTo) => {
        if (!term.startsWith(prefix)) return term < prefix;
        visit(term.slice(prefix.length), block.rows.subarray(rowsFrom, rowsTo));
        return true;
      });
  }

  /** What traffic is called is made of several fields: those of the rows, put together again from their terms. */
  private async applications(part: number, firstTerms: readonly string[], rows: RowSet): Promise<void> {
    const { applications } = this.query.scope.directory;
    const each = (name: FieldName, put: (row: number, value: string) => void) =>
      this.eachTerm(part, firstTerms, termPrefix(name), (value, postings) =>
        eachRowIn(postings, rows, (row) => put(row, value)),
      );
    const numbers = async (name: FieldName) => {
      const of = new Int32Array(rows.rows).fill(NOTHING);
      await each(name, (row, value) => {
        of[row] = Number(value);
      });
      return of;
    };
    const traffic: number[] = [];
    await each("kind", (row, kind) => {
      if ((TRAFFIC_KINDS as readonly string[]).includes(kind)) traffic.push(row);
    });
    const said = new Map<number, string>();
    await each("application", (row, value) => said.set(row, value));
    const [protocol, srcPort, dstPort] = [
      await numbers("protocol"),
      await numbers("src port"),
      await numbers("dst port"),
    ];
    const [src, dst] = [new Map<number, string>(), new Map<number, string>()];
    if (applications.own.some((a) => a.network !== null)) {
      await each("src", (row, value) => src.set(row, value));
      await each("dst", (row, value) => dst.set(row, value));
    }
    const orNull = (n: number) => (n === NOTHING ? null : n);
    for (const row of traffic) {
      const name =
        said.get(row) ??
        applications.name({
          protocol: orNull(protocol[row]!),
          src: src.get(row) ?? null,
          dst: dst.get(row) ?? null,
          srcPort: orNull(srcPort[row]!),
          dstPort: orNull(dstPort[row]!),
        });
      if (name !== null) this.add(fold(name), 1);
    }
  }

  /** Counts by reading what the database lets through. @returns false when time was over */
  async scan(source: Source): Promise<boolean> {
    const { query } = this;
    let below: string | null = null;
    for (;;) {
      const { params, condition } = query.compile(source.shape);
      const bounds = query.bounds(source, params);
      const keyset = below === null ? "" : ` and r.id < ${params.add(below, "::bigint")}`;
      const rows = await query.rows(
        `${selectFrom(source.segment)} where ${bounds}${keyset} and ${condition.text} order by r.id desc limit ${READ_AT_ONCE}`,
        params.values,
      );
      const records: HalvikRecord[] = readRows(source.segment, rows);
      query.searched.rowsRead += records.length;
      for (const record of records) {
        if (!condition.exact && !query.test(record)) continue;
        this.records++;
        for (const value of new Set(this.get(record))) this.add(String(value), 1);
      }
      if (records.length < READ_AT_ONCE) return true;
      if (query.isOver) return false;
      below = records[records.length - 1]!.id;
    }
  }

  result(top: number, openBeforeUs: number | null): FieldValues {
    const sorted = [...this.counts].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1));
    return {
      values: sorted.slice(0, top).map(([value, count]) => ({ value, count })),
      distinct: sorted.length,
      restCount: sorted.slice(top).reduce((sum, [, count]) => sum + count, 0),
      records: this.records,
      exact: openBeforeUs === null,
      coveredFromUs: openBeforeUs ?? this.query.fromUs,
      searched: this.query.searched,
    };
  }

  private add(value: string, count: number): void {
    this.counts.set(value, (this.counts.get(value) ?? 0) + count);
  }
}
