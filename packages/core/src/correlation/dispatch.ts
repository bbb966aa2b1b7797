import type { Filter } from "../filter/index.js";
import type { HalvikRecord } from "../record/index.js";

/** Values one of which a record must have in a field for a filter to hold. */
type Needs = { readonly field: "event" | "category" | "kind"; readonly values: readonly string[] };

/** Rarer first: an event id says more than a category, and that more than a kind. */
const FIELDS = ["event", "category", "kind"] as const;

/** What a record must be for a filter to hold, by its most telling equality; null: anything may. */
export function needsOf(filter: Filter): Needs | null {
  for (const field of FIELDS) {
    const values = valuesNeeded(filter, field);
    if (values !== null) return { field, values };
  }
  return null;
}

function valuesNeeded(filter: Filter, field: Needs["field"]): readonly string[] | null {
  switch (filter.type) {
    case "compare":
      return filter.field === field && !filter.negated && filter.test.op === "oneOf" ? filter.test.values : null;
    case "and":
      // any part will do; the one with the fewest values says most
      return (
        filter.items
          .map((item) => valuesNeeded(item, field))
          .filter((v) => v !== null)
          .sort((a, b) => a.length - b.length)[0] ?? null
      );
    case "or": {
      const each = filter.items.map((item) => valuesNeeded(item, field));
      return each.every((v) => v !== null) ? each.flat() : null;
    }
    default:
      return null;
  }
}

/** Finds what may concern a record without asking everything: cost grows with what could match. */
export class Dispatch<T> {
  private readonly byValue = {
    event: new Map<string, T[]>(),
    category: new Map<string, T[]>(),
    kind: new Map<string, T[]>(),
  };
  private readonly always: T[] = [];

  add(filter: Filter, target: T): void {
    const needs = needsOf(filter);
    if (needs === null) {
      this.always.push(target);
      return;
    }
    for (const value of new Set(needs.values)) {
      const list = this.byValue[needs.field].get(value);
      if (list) list.push(target);
      else this.byValue[needs.field].set(value, [target]);
    }
  }

  /** Calls back for everything that may concern a record, each once: a target stands under one field, and a record has one value of it. */
  each(record: HalvikRecord, visit: (target: T) => void): void {
    if (record.event !== null) this.byValue.event.get(record.event)?.forEach(visit);
    this.byValue.category.get(record.category)?.forEach(visit);
    this.byValue.kind.get(record.kind)?.forEach(visit);
    this.always.forEach(visit);
  }
}
