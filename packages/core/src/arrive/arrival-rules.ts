import { type HalvikRecord, SEVERITIES, type Severity } from "../model/record/index.js";
import type { SenderDirectory } from "../model/senders/index.js";
import { Dispatch } from "../query/dispatch/index.js";
import { compileFilter, type Filter, type RecordTest } from "../query/filter/index.js";
import type { ArrivalRule } from "./arrival-rule.js";

/** A rule with its filter as it was read. */
export interface ReadRule {
  readonly id: number;
  readonly rule: ArrivalRule;
  readonly filter: Filter;
}

/** What the rules made of one record. */
export interface Verdict<R> {
  /** As it is stored. */
  readonly record: R;
  /** The rule that dropped it; null: it is kept. */
  readonly droppedBy: number | null;
  /** Days it is kept; null: as long as others. */
  readonly keepDays: number | null;
  /** Rules that matched, in order. */
  readonly met: readonly number[];
  /** Forwards by which it is passed on. */
  readonly forwards: readonly number[];
}

const NONE: readonly never[] = [];

/** Few at a time: the sort of the language costs more to call than this takes. */
function sortFew(numbers: number[]): number[] {
  for (let i = 1; i < numbers.length; i++) {
    const n = numbers[i]!;
    let at = i;
    for (; at > 0 && numbers[at - 1]! > n; at--) numbers[at] = numbers[at - 1]!;
    numbers[at] = n;
  }
  return numbers;
}

/** Rules of arrival, ready to run. Of many rules those are asked that could match: by the program, sender, word or kind they name. */
export class ArrivalRules {
  private readonly tests: readonly RecordTest[];
  private readonly dispatch: Dispatch<number>;
  /** Places of rules that may concern the record in hand; one list for all records. */
  private readonly places: number[] = [];

  /** @param rules in their order */
  constructor(
    readonly rules: readonly ReadRule[],
    directory: SenderDirectory,
    nowUs: number,
  ) {
    this.tests = rules.map(({ filter }) => compileFilter(filter, { directory, nowUs }));
    this.dispatch = new Dispatch(directory);
    for (const [place, { filter }] of rules.entries()) this.dispatch.add(filter, place);
  }

  /**
   * Asks the rules in their order. Each sees what those before it made of the record; the first that says keep or drop is the last that is asked.
   * The severity that came stays beside, as the kind's own word for it, where it has none.
   */
  judge(arrived: HalvikRecord): Verdict<HalvikRecord> {
    const { rules, tests } = this;
    let record = arrived;
    let keepDays: number | null = null;
    let met: number[] | null = null;
    let forwards: readonly number[] = NONE;
    let places = this.placesFor(record, -1);
    for (let i = 0; i < places.length; i++) {
      const place = places[i]!;
      if (!tests[place]!(record)) continue;
      const { id, rule } = rules[place]!;
      met ??= [];
      met.push(id);
      if (rule.forward !== null && !forwards.includes(rule.forward)) forwards = [...forwards, rule.forward];
      if (rule.does === "drop") return { record, droppedBy: id, keepDays, met, forwards };
      keepDays = rule.keepDays ?? keepDays;
      const before = record;
      record = marked(record, rule);
      if (rule.does === "keep") break;
      // by what it is about other rules may concern it now
      if (record.category !== before.category) {
        places = this.placesFor(record, place);
        i = -1;
      }
    }
    return { record, droppedBy: null, keepDays, met: met ?? NONE, forwards };
  }

  /** Places of the rules behind one that may concern a record, in their order. */
  private placesFor(record: HalvikRecord, behind: number): readonly number[] {
    const { places } = this;
    places.length = 0;
    this.dispatch.gather(record, places);
    sortFew(places);
    return behind < 0 ? places : places.filter((p) => p > behind);
  }
}

function marked(r: HalvikRecord, rule: ArrivalRule): HalvikRecord {
  const { severity, category, tag, site, expected } = rule;
  if (severity === null && category === null && tag === null && site === null && !expected) return r;
  const values = Object.entries({ tag, site }).flatMap(([name, value]) =>
    value === null ? [] : [[name, value] as const],
  );
  return {
    ...r,
    ...(severity === null
      ? {}
      : {
          severity: ("to" in severity ? severity.to : Math.min(7, Math.max(0, r.severity + severity.by))) as Severity,
          originalSeverity: r.originalSeverity ?? SEVERITIES[r.severity]!,
        }),
    ...(category === null ? {} : { category }),
    ...(values.length === 0 ? {} : { data: [...r.data, ...values] }),
    ...(expected && !r.marks.includes("expected") ? { marks: [...r.marks, "expected" as const] } : {}),
  };
}
