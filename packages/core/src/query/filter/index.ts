export { type Anchor, aftersOf, followers, stretchesOf, withoutAfters } from "./after.js";
export type { After, Comparison, Filter, FilterError, Span } from "./ast.js";
export { SAME_FIELDS } from "./ast.js";
export { bothOf } from "./both-of.js";
export { comparatorsOf } from "./comparators.js";
export { completeFilter, type ValuesAsked } from "./complete.js";
export {
  bindsTime,
  compileComparison,
  compileFilter,
  compileTree,
  type EvaluateContext,
  hasPatterns,
  namesField,
  namesTime,
  type RecordTest,
  senderIds,
  spelledOut,
  timeBounds,
  undecided,
  valueTest,
  valueTestOf,
} from "./evaluate.js";
export { listNames } from "./list-names.js";
export { asksForNew, withNewShapes } from "./new-values.js";
export { MAX_FILTER_LENGTH, type ParseResult, parseFilter, parseFilterOf, savedFilterNames } from "./parse.js";
export type { ParseContext, SavedText } from "./parse-context.js";
export { type FilterPart, type FilterParts, filterParts, isComplete, joinParts, takesValue } from "./parts.js";
export { pastedValues } from "./pasted-values.js";
export { requiredLiterals } from "./pattern.js";
export { placesIn, withPlaces } from "./places.js";
export { readFilter } from "./reading.js";
export { nearest } from "./suggest.js";
export { quoteIfNeeded } from "./values.js";
export { type FilterField, RECORDS, type Vocabulary } from "./vocabulary.js";
export { isWordAt } from "./words.js";
export { dataNamesIn, wordsIn, writtenValuesIn } from "./words-in.js";
