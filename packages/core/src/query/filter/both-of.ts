/** The text of a filter that both of two filters say; empty: everything. */
export const bothOf = (a: string, b: string): string =>
  a.trim() === "" ? b : b.trim() === "" ? a : `${inBrackets(a)} and ${inBrackets(b)}`;

/** What says “or” needs them; where the word stands in a text they do no harm. */
const inBrackets = (filter: string): string => (/\bor\b/i.test(filter) ? `(${filter})` : filter);
