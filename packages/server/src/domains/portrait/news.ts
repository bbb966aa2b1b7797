import type { PortraitNews } from "@halvik/contract/portrait";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import type { FieldName } from "@halvik/core/model/record";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { ownFilter } from "../records/own-filter.js";
import type { PortraitNeeds, Window } from "./portrait.js";
import type { Subject } from "./subject.js";

/** What is new is what was not there so long before. */
const BEFORE_US = 7 * US_PER_DAY;
/** Values of each sort that are held against the time before, the most frequent. */
const LOOKED_AT = 60;
const SHOWN = 12;
const BUDGET_MS = 1_500;

/** A sort of value that may be new. */
interface Sort {
  readonly what: string;
  readonly field: FieldName;
  /** Only of the records this matches; empty: of all of its own. */
  readonly of: string;
}

/** What of a thing's records may be new: whom it talks to, by which port, who uses it, from where, what it says. */
function sortsOf({ kind, addresses }: Subject): readonly Sort[] {
  const is = addresses.length === 0 ? null : addresses.join(", ");
  const traffic: readonly Sort[] =
    is === null
      ? []
      : [
          { what: "talks to", field: "dst", of: `src is ${is}` },
          { what: "is talked to by", field: "src", of: `dst is ${is}` },
          { what: "uses", field: "application", of: `src is ${is}` },
        ];
  const said: readonly Sort[] = [
    { what: "event", field: "event", of: "" },
    { what: "program", field: "app", of: "" },
  ];
  switch (kind) {
    case "user":
      return [{ what: "came from", field: "src", of: "" }, { what: "was on", field: "host", of: "" }, ...said];
    case "interface":
      return said;
    default:
      return [...traffic, { what: "user", field: "user", of: "" }, ...said];
  }
}

/** What a window holds of a thing and the seven days before did not. */
export async function newsOf(
  { ask, directory, nowUs }: PortraitNeeds,
  subject: Subject,
  { fromUs, toUs }: Window,
): Promise<PortraitNews> {
  const own = `(${subject.filter})`;
  const since = fromUs - BEFORE_US;
  const values = async (text: string, field: FieldName, a: number, b: number, top: number) => {
    const filter = ownFilter(text, directory);
    return ask(filter).values({
      filter,
      fromUs: a,
      toUs: b,
      nowUs,
      budgetMs: BUDGET_MS,
      of: { field },
      top,
      measure: { by: "records" },
    });
  };
  const found = await Promise.all(
    sortsOf(subject).map(async ({ what, field, of }) => {
      const narrowed = of === "" ? own : `${own} and ${of}`;
      const now = await values(narrowed, field, fromUs, toUs, LOOKED_AT);
      if (now.values.length === 0) return { rows: [], exact: now.exact };
      const listed = now.values.map((v) => quoteIfNeeded(v.value)).join(", ");
      const before = await values(`${narrowed} and ${field} is ${listed}`, field, since, fromUs, 2 * LOOKED_AT);
      // one thing in several spellings is one, and another spelling of it is nothing new
      const canonical = (value: string): string => directory.ours.canonical(field, value);
      const known = new Set(before.values.map((v) => canonical(v.value)));
      const fresh = new Map<string, { label: string; count: number }>();
      for (const { value, written, count } of now.values) {
        const own = canonical(value);
        if (known.has(own)) continue;
        const there = fresh.get(own);
        fresh.set(own, { label: there?.label ?? written ?? value, count: (there?.count ?? 0) + count });
      }
      return {
        exact: now.exact && before.exact,
        // what was not looked through does not make anything new
        rows: !before.exact
          ? []
          : [...fresh.values()].map(({ label, count }) => ({
              what,
              label,
              note: "",
              count,
              filter: `${narrowed} and ${field} is ${quoteIfNeeded(label)}`,
            })),
      };
    }),
  );
  return {
    since: formatUs(since),
    rows: found.flatMap((f) => f.rows.slice(0, SHOWN)),
    partial: found.some((f) => !f.exact),
  };
}
