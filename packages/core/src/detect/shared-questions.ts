import { fold } from "../base/text/index.js";
import { entityCode, isSpelt } from "../model/entity/index.js";
import { type Field, type FieldName, type FieldValue, field, type HalvikRecord } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { compileComparison, compileTree, type Filter, type RecordTest } from "../query/filter/index.js";
import { CodeLists } from "./code-lists.js";
import { addToKey, keyPart } from "./key.js";

type Answer<T> = (record: HalvikRecord) => T;

const NONE: readonly string[] = [];
/** The key of a rule that has none. */
const WHOLE: readonly string[] = [""];
const NUMBER = /^\d+$/;

/**
 * What rules that run together ask of a record. Many ask the same: each question is answered once a record, for all of them. An answer
 * is remembered for the record asked about last, so that questions are to be asked of one record after the other.
 */
export class SharedQuestions {
  private readonly tests = new Map<string, RecordTest>();
  private readonly keys = new Map<string, Answer<readonly string[]>>();
  private readonly entities = new Map<string, Answer<readonly string[]>>();
  private readonly values = new Map<FieldName, Answer<readonly string[]>>();
  private readonly lists = new CodeLists();

  constructor(private readonly directory: SenderDirectory) {}

  /** Whether a record meets a filter. Filters that say the same in the same words are one question, and so are their parts. */
  test(filter: Filter): RecordTest {
    return this.shared(this.tests, saying(filter), () => {
      // rules may not name time, so "now" has no influence
      const context = { directory: this.directory, nowUs: 0 };
      return compileTree(filter, (part) =>
        part === filter
          ? compileComparison(part, context)
          : this.shared(this.tests, saying(part), () => compileComparison(part, context)),
      );
    });
  }

  /** Every combination of some fields' values; none when one is missing. */
  keysBy(names: readonly FieldName[]): Answer<readonly string[]> {
    if (names.length === 0) return () => WHOLE;
    if (names.length === 1) return this.valuesOf(names[0]!);
    return this.shared(this.keys, names.join(), () => {
      const rest = this.keysBy(names.slice(0, -1));
      const isSecond = names.length === 2;
      const last = this.valuesOf(names[names.length - 1]!);
      return (record) => {
        const before = rest(record);
        if (before.length === 0) return NONE;
        const values = last(record);
        if (before.length === 1 && values.length === 1)
          return [addToKey(isSecond ? keyPart(before[0]!) : before[0]!, keyPart(values[0]!))];
        return before.flatMap((key) => values.map((v) => addToKey(isSecond ? keyPart(key) : key, keyPart(v))));
      };
    });
  }

  /** Entities of some fields, as codes. */
  entitiesOf(names: readonly FieldName[]): Answer<readonly string[]> {
    if (names.length === 0) return () => NONE;
    const last = names[names.length - 1]!;
    const own = this.shared(this.entities, last, () => this.named(last));
    if (names.length === 1) return own;
    return this.shared(this.entities, names.join(), () => {
      const rest = this.entitiesOf(names.slice(0, -1));
      return (record) => this.lists.join(rest(record), own(record));
    });
  }

  /** Values of a field in the one spelling by which they are told apart. */
  valuesOf(name: FieldName): Answer<readonly string[]> {
    if (name === "shape")
      return this.shared(
        this.values,
        name,
        () => (record) => (record.shape === null ? NONE : [String(this.directory.standingShape(record.shape))]),
      );
    return this.shared(this.values, name, () => {
      const of = field(name);
      const { applications, ours } = this.directory;
      const { only } = of;
      if (only !== undefined)
        return (record) => {
          const value = only(record, applications);
          return value === null ? NONE : [folded(of, value, ours)];
        };
      return (record) => {
        const values = of.get(record, applications);
        switch (values.length) {
          case 0:
            return NONE;
          case 1:
            return [folded(of, values[0]!, ours)];
          default:
            return values.map((v) => folded(of, v, ours));
        }
      };
    });
  }

  private named(name: FieldName): Answer<readonly string[]> {
    const { get, only } = field(name);
    const { applications, ours } = this.directory;
    const prefix = entityCode(name, "");
    const alone = this.lists.alone((value) => prefix + bounded(ours.short(name, value)));
    // the number of a process names it on its host alone, and as long as it runs: two that have it are not one thing
    const names = (value: FieldValue) => name !== "process" || !NUMBER.test(String(value));
    if (only !== undefined)
      return (record) => {
        const value = only(record, applications);
        return value === null || !names(value) ? NONE : alone(String(value));
      };
    return (record) => {
      let codes = NONE;
      for (const value of get(record, applications))
        if (names(value)) codes = this.lists.join(codes, alone(String(value)));
      return codes;
    };
  }

  private shared<K, T>(all: Map<K, Answer<T>>, key: K, make: () => Answer<T>): Answer<T> {
    let answer = all.get(key);
    if (answer === undefined) {
      answer = remembered(make());
      all.set(key, answer);
    }
    return answer;
  }
}

function remembered<T>(answer: Answer<T>): Answer<T> {
  let asked: HalvikRecord | null = null;
  let last: T;
  return (record) => {
    if (record !== asked) {
      last = answer(record);
      asked = record;
    }
    return last;
  };
}

/** What a filter says, wherever it stands. */
const saying = (filter: Filter): string =>
  JSON.stringify(filter, (name, value) =>
    name === "span" ? undefined : typeof value === "bigint" ? { count: String(value) } : value,
  );

/** Hosts and users are the same in any case and spelling (`docs/semantics.md` 16). */
const folded = (f: Pick<Field, "type" | "name">, value: FieldValue, ours: SenderDirectory["ours"]): string =>
  bounded(
    isSpelt(f.name) ? ours.canonical(f.name, String(value)) : f.type === "text" ? fold(String(value)) : String(value),
  );

/** Parts of keys and entities are bounded: a longer one is told by its beginning, its length and a checksum. */
const MAX_PART = 300;

function bounded(text: string): string {
  if (text.length <= MAX_PART) return text;
  // FNV-1a, 32 bits (draft-eastlake-fnv): only texts with the same 300 characters and length can meet
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193);
  return `${text.slice(0, MAX_PART).toWellFormed()}… ${text.length} ${(hash >>> 0).toString(16)}`;
}
