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
import type { SenderDirectory } from "@halvik/core/model/senders";
import {
  blocksWithPrefix,
  dataPrefix,
  eachRowIn,
  hasTerms,
  type RowSet,
  readTerms,
  termPrefix,
} from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import type { PartHead, TermIndex } from "./term-index.js";

/** Which values: of a field of the table, or of a named value. */
export type ValuesOf = { readonly field: FieldName } | { readonly data: string };

/** Fields whose values can be counted: all that have terms, and the named values among the table's fields. */
export const hasValues = (name: string): boolean => {
  const known = fieldNamed(name);
  return known !== undefined && (hasTerms(known.name as FieldName) || known.dataName !== undefined);
};

/** A part of the index as its values are read from it. */
export interface IndexedPart {
  readonly part: number;
  readonly head: PartHead;
}

/** What stands behind a prefix in the vocabulary of a part, each with its rows as they are stored. */
export async function readTermsWith(
  db: Queryable,
  terms: TermIndex,
  { part, head }: IndexedPart,
  prefix: string,
  visit: (value: string, postings: Uint8Array) => void,
): Promise<void> {
  const [from, to] = blocksWithPrefix(head.firstTerms, prefix);
  const numbers = new Set(Array.from({ length: to - from }, (_, i) => from + i));
  const blocks = (await terms.readBlocks(db, new Map([[part, numbers]]))).get(part);
  for (const block of blocks?.values() ?? [])
    readTerms(block.terms, (term, rowsFrom, rowsTo) => {
      if (!term.startsWith(prefix)) return term < prefix;
      visit(term.slice(prefix.length), block.rows.subarray(rowsFrom, rowsTo));
      return true;
    });
}

/** No port and no protocol is less than 0. */
const NOTHING = -1;

/** The values of a field, from records or from the terms of a part: text in lower case, numbers and ids in digits. */
export class ValueReader {
  /** Whether a value may be written in other letters than it is counted by. */
  readonly folds: boolean;
  private readonly get: (r: HalvikRecord) => readonly FieldValue[];
  private readonly prefix: string;
  private readonly isApplication: boolean;
  /** Of shapes the one that each has become part of. */
  private readonly standing: ((value: string) => string) | null;

  constructor(
    of: ValuesOf,
    private readonly db: Queryable,
    private readonly terms: TermIndex,
    private readonly directory: SenderDirectory,
  ) {
    const known = "data" in of ? null : field(of.field);
    const dataName = "data" in of ? of.data : field(of.field).dataName;
    this.prefix = dataName === undefined ? termPrefix((of as { field: FieldName }).field) : dataPrefix(dataName);
    this.folds = dataName !== undefined || known?.type === "text";
    this.isApplication = known?.name === "application";
    this.standing = known?.name === "shape" ? (v) => String(directory.standingShape(Number(v))) : null;
    const { applications } = directory;
    this.get = (r) => (dataName === undefined ? known!.get(r, applications) : dataValues(r, dataName));
  }

  /** As a record has them, each once: by what it is counted, and as it is written. */
  ofRecord(record: HalvikRecord): Map<string, string> {
    const found = new Map<string, string>();
    for (const v of this.get(record)) {
      const written = this.standing === null ? String(v) : this.standing(String(v));
      const value = this.folds ? fold(written) : written;
      if (!found.has(value)) found.set(value, written);
    }
    return found;
  }

  /** Whether every value is a term of its own, which can be counted without going through its rows. */
  get isOfTerms(): boolean {
    return !this.isApplication;
  }

  /** The values of a part that are terms, each with its rows as they are stored. */
  eachTerm(part: IndexedPart, visit: (value: string, postings: Uint8Array) => void): Promise<void> {
    const { standing } = this;
    return this.termsWith(
      part,
      this.prefix,
      standing === null ? visit : (value, postings) => visit(standing(value), postings),
    );
  }

  /** Each value of each of some rows. */
  async eachOfRows(part: IndexedPart, rows: RowSet, visit: (row: number, value: string) => void): Promise<void> {
    if (this.isApplication) await this.applications(part, rows, visit);
    else await this.eachTerm(part, (value, postings) => eachRowIn(postings, rows, (row) => visit(row, value)));
  }

  /** The values of each of some rows; undefined: it has none. */
  async byRow(part: IndexedPart, rows: RowSet): Promise<(string[] | undefined)[]> {
    const of: (string[] | undefined)[] = new Array(rows.rows);
    await this.eachOfRows(part, rows, (row, value) => {
      const there = of[row];
      if (there) there.push(value);
      else of[row] = [value];
    });
    return of;
  }

  private termsWith(
    part: IndexedPart,
    prefix: string,
    visit: (value: string, postings: Uint8Array) => void,
  ): Promise<void> {
    return readTermsWith(this.db, this.terms, part, prefix, visit);
  }

  /** What traffic is called is made of several fields: those of the rows, put together again from their terms. */
  private async applications(
    part: IndexedPart,
    rows: RowSet,
    visit: (row: number, value: string) => void,
  ): Promise<void> {
    const { applications } = this.directory;
    const each = (name: FieldName, put: (row: number, value: string) => void) =>
      this.termsWith(part, termPrefix(name), (value, postings) => eachRowIn(postings, rows, (row) => put(row, value)));
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
      if (name !== null) visit(row, fold(name));
    }
  }
}
