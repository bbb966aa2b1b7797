export type { Comparison, Filter, FilterError, Span, Test, TextMode } from "./ast.js";
export { FILTER_ERROR_CODES } from "./ast.js";
export { type Completion, type Completions, completeFilter } from "./complete.js";
export { compileFilter, type EvaluateContext, namesTime, type RecordTest, senderIds, timeBounds } from "./evaluate.js";
export { fold, isLike } from "./fold.js";
export { type ComparatorName, comparatorsOf, type ParseContext, type ParseResult, parseFilter } from "./parser.js";
export { readFilter } from "./reading.js";
export { quoteIfNeeded } from "./values.js";
