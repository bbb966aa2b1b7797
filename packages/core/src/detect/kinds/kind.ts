import type { EpochUs } from "../../base/time/index.js";
import type { FieldName } from "../../model/record/index.js";
import type { EpisodeLogic, Run, SavedRun } from "./run.js";

/** One thing a rule looks for: its filter, and the fields that carry the key in it. */
export interface Condition {
  readonly filter: string;
  readonly key: readonly FieldName[];
  /** What it is called where there are several. */
  readonly name: string;
}

/** A part of a rule that does not fit another. */
export interface Fault {
  readonly path: (string | number)[];
  readonly message: string;
}

/** What is measured of a record: a field, a named value beyond the fields, or nothing, since it is counted. */
export type Amount = { readonly field: FieldName } | { readonly data: string } | null;

/** What rules of one kind say and do; `R` is such a rule. */
export interface RuleKind<R> {
  /** What it looks for, by place: steps, parts, or the one thing. */
  readonly conditions: (rule: R) => readonly Condition[];
  /** When it raises, after “Raise error when …”. */
  readonly say: (rule: R) => string;
  /** How far apart evidence of one episode may be: what `docs/semantics.md` 21 calls W. */
  readonly windowSeconds: (rule: R) => number;
  /** What its shape alone cannot say. */
  readonly faults: (rule: R) => readonly Fault[];
  /** Whether less of what is measured is worse. */
  readonly isUnder: (rule: R) => boolean;
  /** Evidence says which step it met. */
  readonly severalSteps: boolean;
  /** Of what its records name, only the last counts in its title. */
  readonly namesLast: boolean;
  /** It asks for what did not happen: only the watermark can tell. */
  readonly waits: (rule: R) => boolean;
  /** What is usual is learnt, key by key. */
  readonly learns: (rule: R) => boolean;
  /** It begins to learn with the first record it ever sees, for all its keys. */
  readonly learnsFromFirst: boolean;
  /** Places of conditions that must not be met. */
  readonly absent: (rule: R) => readonly number[];
  /** The field whose different values are counted. */
  readonly distinctOf: (rule: R) => FieldName | null;
  readonly amount: (rule: R) => Amount;
  /** Length of the stretches of which it needs no more than how many records came, the sum of their amounts, and the first few; null: it looks at each. */
  readonly gathersUs: (rule: R) => number | null;
  /** How a key of it is begun, or taken up again. @param zone whose hours of the week count */
  readonly begin: (
    rule: R,
    common: EpisodeLogic,
    zone: string,
  ) => (saved: SavedRun | null, since: { us: EpochUs }) => Run;
}

/** What most kinds have in common. */
export const PLAIN = {
  faults: () => [],
  isUnder: () => false,
  severalSteps: false,
  namesLast: false,
  waits: () => false,
  learns: () => false,
  learnsFromFirst: false,
  absent: () => [],
  distinctOf: () => null,
  amount: () => null,
  gathersUs: () => null,
} as const satisfies Partial<RuleKind<never>>;

/** The one condition of a kind that looks for one thing. */
export const oneCondition = (rule: { readonly filter: string; readonly key: readonly FieldName[] }): Condition[] => [
  { filter: rule.filter, key: rule.key, name: "" },
];

/** Keys of parts that have fields of their own must have as many as the rule's. */
export const keyFaults = (
  key: readonly string[],
  own: readonly (readonly [path: (string | number)[], key: readonly string[] | undefined])[],
): Fault[] =>
  own.flatMap(([path, fields]) =>
    fields === undefined || fields.length === key.length
      ? []
      : [{ path, message: `expected as many fields as the rule's key has: ${key.length}` }],
  );
