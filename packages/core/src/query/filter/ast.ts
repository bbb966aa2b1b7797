import type { Network } from "../../base/net/index.js";
import type { Count, FieldName, Severity } from "../../model/record/index.js";
import type { SenderTrait } from "../../model/senders/index.js";
import type { MessageShape } from "../../shapes/index.js";

/** Where in the filter text a node stands, in UTF-16 units: [start, end). */
export interface Span {
  readonly start: number;
  readonly end: number;
}

/** How a piece of text is looked for: whole word, start of a word, part of a word, or literally anywhere. */
export type TextMode = "word" | "prefix" | "part" | "phrase";

/** What is asked of a field's values: true if any value satisfies it (`docs/semantics.md` 13). */
export type Test =
  /** `exactly`: as it is written, not another spelling of the same thing. */
  | { readonly op: "oneOf"; readonly values: readonly string[]; readonly exactly?: true }
  | { readonly op: "severity"; readonly values: readonly Severity[] }
  /** Inclusive integer ranges; an open end is ±Infinity. */
  | { readonly op: "ranges"; readonly ranges: readonly (readonly [from: Count, to: Count])[] }
  /** The number a named value begins with; each bound belongs to it or not. */
  | {
      readonly op: "amount";
      readonly from: number;
      readonly to: number;
      readonly withFrom: boolean;
      readonly withTo: boolean;
    }
  | { readonly op: "networks"; readonly networks: readonly Network[] }
  | { readonly op: "has"; readonly mode: TextMode; readonly value: string }
  | { readonly op: "like"; readonly pattern: string }
  | { readonly op: "matches"; readonly source: string }
  | { readonly op: "present" }
  /** Of shapes: first ever seen within the window. Whoever has them puts those it means in its place before any record is decided. */
  | { readonly op: "new" }
  | { readonly op: SenderTrait; readonly names: readonly string[] }
  /** In one of these lists; `spelledOut` puts what they hold in its place. */
  | { readonly op: "list"; readonly names: readonly string[] }
  /** One of these domains, or below one. */
  | { readonly op: "domains"; readonly domains: readonly string[] }
  | { readonly op: "last"; readonly us: number };

/** Fields by which something later belongs to something earlier. */
export const SAME_FIELDS = [
  "user",
  "address",
  "src",
  "dst",
  "host",
  "sender",
  "interface",
] as const satisfies FieldName[];
export type SameField = (typeof SAME_FIELDS)[number];

/** What a filter of records may name. */
export type RecordField = FieldName | "data";

/** A filter as plain data; `reading` and both back ends walk it. @template N the fields it may name: those of records, or of what else is filtered */
export type Filter<N extends string = RecordField> =
  | { readonly type: "everything" }
  | { readonly type: "and" | "or"; readonly items: readonly Filter<N>[]; readonly span: Span }
  | { readonly type: "not"; readonly item: Filter<N>; readonly span: Span }
  /**
   * What came after something with the same value of a field. It asks for other records than the one that is looked at: whoever has
   * them puts what it stands for in its place (`resolveAfter`) before any record is decided.
   */
  | {
      readonly type: "after";
      readonly field: SameField;
      readonly withinUs: number;
      readonly item: Filter<N>;
      readonly span: Span;
    }
  | {
      readonly type: "compare";
      readonly field: N;
      /** For field "data": the name of the value, in full or without its element. */
      readonly dataName?: string;
      /** Identifiers of objects that the name stands for; set where it is spelled out. Instances have more behind them. */
      readonly dataOids?: readonly string[];
      /** For field "data": it is what stands in that place of a message shape, `$1`; which shape is put in by whoever has them, before any record is decided. */
      readonly place?: number;
      readonly ofShape?: Pick<MessageShape, "tokens" | "numbers">;
      readonly test: Test;
      /** `is not`, `not in`, `missing`: the exact negation. */
      readonly negated: boolean;
      readonly span: Span;
    };

export type After = Extract<Filter, { type: "after" }>;
export type Comparison<N extends string = RecordField> = Extract<Filter<N>, { type: "compare" }>;

export const FILTER_ERROR_CODES = [
  "UNKNOWN_FIELD",
  "UNKNOWN_VALUE",
  "WRONG_COMPARATOR",
  "WRONG_VALUE",
  "EXPECTED",
  "BAD_PATTERN",
  "BAD_CHARACTER",
  "UNCLOSED",
  "TOO_LONG",
  "TOO_COSTLY",
] as const;

/** A mistake in a filter: where it is, what was expected, and what may have been meant. */
export interface FilterError {
  readonly code: (typeof FILTER_ERROR_CODES)[number];
  readonly message: string;
  readonly span: Span;
  /** Text to put in place of the span, or null. */
  readonly suggestion: string | null;
}
