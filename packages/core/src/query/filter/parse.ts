import type { Filter, FilterError, RecordField } from "./ast.js";
import { FilterFault, Lexer } from "./lexer.js";
import type { ParseContext } from "./parse-context.js";
import { Parser } from "./parser.js";
import { fault } from "./values.js";
import { RECORDS, type Vocabulary } from "./vocabulary.js";

export type ParseResult<N extends string = RecordField> =
  | { readonly ok: true; readonly filter: Filter<N> }
  | { readonly ok: false; readonly error: FilterError };

export const MAX_FILTER_LENGTH = 8_000;

/** Text to tree (grammar in docs/filter-language.md). Empty text is every record. */
export const parseFilter = (source: string, context: ParseContext): ParseResult =>
  parseFilterOf(RECORDS, source, context);

/** The same for a filter of something else than records, that names the fields of that. */
export function parseFilterOf<N extends string>(
  vocabulary: Vocabulary<N>,
  source: string,
  context: ParseContext,
): ParseResult<N> {
  const parsed = parse(vocabulary, source, context);
  if (parsed.ok || parsed.error.suggestion === null) return parsed;
  // what is suggested has to be understood itself; what stands behind it may hold another mistake
  const { span, suggestion } = parsed.error;
  const mended = parse(vocabulary, source.slice(0, span.start) + suggestion + source.slice(span.end), context);
  if (mended.ok || mended.error.span.start >= span.start + suggestion.length) return parsed;
  return { ok: false, error: { ...parsed.error, suggestion: null } };
}

function parse<N extends string>(vocabulary: Vocabulary<N>, source: string, context: ParseContext): ParseResult<N> {
  try {
    if (source.length > MAX_FILTER_LENGTH)
      fault("TOO_LONG", `a filter has at most ${MAX_FILTER_LENGTH} characters`, {
        start: MAX_FILTER_LENGTH,
        end: source.length,
      });
    // the parser names no field that its vocabulary has not
    return {
      ok: true,
      filter: new Parser(vocabulary, new Lexer(source), context).filter() as Filter<string> as Filter<N>,
    };
  } catch (e) {
    if (e instanceof FilterFault) return { ok: false, error: e.error };
    throw e;
  }
}

/** Names of the saved filters that a text uses, whether or not the text is understood. */
export function savedFilterNames(source: string): string[] {
  const names: string[] = [];
  try {
    const lexer = new Lexer(source);
    for (let last = lexer.next(); last.type !== "end"; ) {
      const token = lexer.next();
      if (last.type === "word" && last.text.toLowerCase() === "filter" && token.type === "quoted")
        names.push(token.text);
      last = token;
    }
  } catch (e) {
    if (!(e instanceof FilterFault)) throw e;
  }
  return names;
}
