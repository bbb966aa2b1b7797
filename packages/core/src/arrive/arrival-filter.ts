import type { SenderDirectory } from "../model/senders/index.js";
import { type Filter, type ParseResult, parseFilter, type Span } from "../query/filter/index.js";

/** Reads the filter of a rule of arrival. What goes by the moment at which somebody looks is refused: it is decided once, when a record comes. */
export function readArrivalFilter(text: string, directory: SenderDirectory): ParseResult {
  const parsed = parseFilter(text, { zone: "UTC", directory });
  if (!parsed.ok) return parsed;
  const last = lastIn(parsed.filter);
  if (last === null) return parsed;
  return {
    ok: false,
    error: {
      code: "EXPECTED",
      message: "“last” goes by when one looks: a rule of arrival decides once, when a record comes",
      span: last,
      suggestion: null,
    },
  };
}

function lastIn(filter: Filter): Span | null {
  switch (filter.type) {
    case "and":
    case "or":
      return filter.items.map(lastIn).find((found) => found !== null) ?? null;
    case "not":
      return lastIn(filter.item);
    case "compare":
      return filter.test.op === "last" ? filter.span : null;
    default:
      return null;
  }
}
