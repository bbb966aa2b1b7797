import { isSpelt } from "../../model/entity/index.js";
import type { Sign } from "./lexer.js";
import type { FilterField } from "./vocabulary.js";

export const COMPARATORS = [
  "is",
  "is not",
  "in",
  "not in",
  "exactly",
  "within",
  "has",
  "like",
  "matches",
  "over",
  "under",
  "at least",
  "at most",
  "between",
  "present",
  "missing",
  "last",
  "new",
] as const;
export type ComparatorName = (typeof COMPARATORS)[number];
/** Words a comparator begins with. */
export const COMPARATOR_STARTS: ReadonlySet<string> = new Set(COMPARATORS.map((c) => c.split(" ")[0]!));

/** Which comparators a field takes; the parser, completion and the form builder read this. */
export function comparatorsOf(field: FilterField | "data"): readonly ComparatorName[] {
  const always = ["present", "missing"] as const;
  if (field === "data")
    return [
      ...["is", "is not", "in", "not in", "has", "like", "matches"],
      ...["over", "under", "at least", "at most", "between", ...always],
    ] as ComparatorName[];
  switch (field.type) {
    case "text":
    case "exact": {
      const whole = ["is", "is not", "in", "not in"] as const;
      return [...whole, "has", "like", "matches", ...always, ...(isSpelt(field.name) ? (["exactly"] as const) : [])];
    }
    case "sender":
      return ["is", "is not", "in", "not in", "within", "like"];
    case "choice":
      return ["is", "is not", "in", "not in", ...always];
    case "severity":
      return ["at least", "at most", "is", "is not", "in", "not in"];
    case "address":
      return ["is", "is not", "in", "not in", "within", ...always];
    case "number":
    case "port":
      return ["is", "is not", "in", "not in", "over", "under", "at least", "at most", "between", ...always];
    case "shape":
      return ["is", "is not", "in", "not in", "new", ...always];
    case "time":
      return ["last", "between", "over", "under", "at least", "at most", "is", "is not"];
  }
}

/** Signs as the language's own words. */
export const WORDS_OF: Readonly<Record<Sign, ComparatorName>> = {
  "=": "is",
  "!=": "is not",
  "<": "under",
  "<=": "at most",
  ">": "over",
  ">=": "at least",
};
