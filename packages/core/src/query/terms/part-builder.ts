import { fold } from "../../base/text/index.js";
import { NO_APPLICATIONS } from "../../model/applications/index.js";
import { FIELDS, type Field, type FieldName, type FieldValue, type HalvikRecord } from "../../model/record/index.js";
import { type DirectoryBlock, encodeDirectory, type RowKey } from "./row-directory.js";
import { encodeTermBlocks, type TermBlock } from "./term-blocks.js";
import { clip, eachWord, isClipped } from "./words.js";

/**
 * Fields whose values are not terms: nearly every record has its own (bytes, packets, time), they are made of others (address), or
 * they are named values, which have terms by name.
 */
const NOT_TERMS: ReadonlySet<FieldName> = new Set([
  "text",
  "bytes",
  "packets",
  "time",
  "arrival",
  "address",
  "port",
  "policy",
  "src zone",
  "dst zone",
  "log",
]);
export const hasTerms = (name: FieldName): boolean => !NOT_TERMS.has(name);

/** What stands before the value in a term. Addresses that are neither source nor destination have one of their own. */
export const termPrefix = (field: FieldName | "other address"): string => `${field}=`;
/** Before the values of a name, in full or without its first words. */
export const dataPrefix = (name: string): string => `data.${clip(name).replaceAll("=", "\u0001")}=`;
/** Whether the terms of a name are all its own: one with an equals sign, or kept by its beginning, may share them. */
export const isOwnDataPrefix = (name: string): boolean => !isClipped(name) && !/[=\u0001]/.test(name);

/** Endings of more words than this have no terms. */
const MAX_NAME_WORDS = 8;
export const hasDataTerms = (name: string): boolean => name.split(" ", MAX_NAME_WORDS + 1).length <= MAX_NAME_WORDS;

/** What a filter may call a name: itself, or its last words (`dataValues`). */
function* endingsOf(name: string): Generator<string> {
  let end = name.length;
  for (let words = 0; words < MAX_NAME_WORDS; words++) {
    const space = end === 0 ? -1 : name.lastIndexOf(" ", end - 1);
    yield name.slice(space + 1);
    if (space < 0) return;
    end = space;
  }
}

const TERM_FIELDS = FIELDS.filter((f) => hasTerms(f.name)).map((f) => ({
  prefix: termPrefix(f.name),
  folds: f.type === "text",
  get: f.get as Field["get"],
  only: (f as Field).only,
}));

export interface EncodedPart {
  readonly rows: number;
  readonly blocks: readonly TermBlock[];
  readonly directory: readonly DirectoryBlock[];
}

/** Values of one field with the rows that hold each, in order. */
type RowsByValue = Map<FieldValue, number[]>;

/** Gathers the terms of consecutive records of a segment: which rows hold which word and which value of which field. */
export class PartBuilder {
  private readonly fields: readonly RowsByValue[] = TERM_FIELDS.map(() => new Map());
  private readonly words: RowsByValue = new Map();
  private readonly otherAddresses: RowsByValue = new Map();
  private readonly data = new Map<string, RowsByValue>();
  private readonly keys: RowKey[] = [];

  get rows(): number {
    return this.keys.length;
  }

  add(record: HalvikRecord, key: RowKey): void {
    const row = this.keys.length;
    this.keys.push(key);
    for (let i = 0; i < TERM_FIELDS.length; i++) {
      const { folds, get, only } = TERM_FIELDS[i]!;
      const rows = this.fields[i]!;
      // what an exporter said; other names are made when records are read
      if (only === undefined) for (const value of get(record, NO_APPLICATIONS)) note(rows, termOf(value, folds), row);
      else {
        const value = only(record, NO_APPLICATIONS);
        if (value !== null) note(rows, termOf(value, folds), row);
      }
    }
    for (const address of record.otherAddresses) note(this.otherAddresses, address, row);
    for (const [name, value] of record.data)
      for (const ending of endingsOf(name)) note(this.ofData(ending), clip(fold(value)), row);
    if (record.text !== "") eachWord(fold(record.text), (word) => note(this.words, word, row));
  }

  finish(): EncodedPart {
    const terms = new Map<string, readonly number[]>();
    const take = (prefix: string, byValue: RowsByValue) => {
      for (const [value, ordinals] of byValue) terms.set(`${prefix}${value}`, ordinals);
    };
    TERM_FIELDS.forEach(({ prefix }, i) => {
      take(prefix, this.fields[i]!);
    });
    take(termPrefix("text"), this.words);
    take(termPrefix("other address"), this.otherAddresses);
    for (const [prefix, byValue] of this.data) take(prefix, byValue);
    return { rows: this.rows, blocks: encodeTermBlocks(terms, this.rows), directory: encodeDirectory(this.keys) };
  }

  private ofData(name: string): RowsByValue {
    const prefix = dataPrefix(name);
    let byValue = this.data.get(prefix);
    if (byValue === undefined) {
      byValue = new Map();
      this.data.set(prefix, byValue);
    }
    return byValue;
  }
}

const termOf = (value: FieldValue, folds: boolean): FieldValue =>
  typeof value === "string" ? clip(folds ? fold(value) : value) : value;

function note(byValue: RowsByValue, value: FieldValue, row: number): void {
  const ordinals = byValue.get(value);
  if (ordinals === undefined) byValue.set(value, [row]);
  else if (ordinals[ordinals.length - 1] !== row) ordinals.push(row);
}
