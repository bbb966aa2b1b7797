/** The filter that Records was left with, so that going back there finds it again. Of this visit alone. */
let last = "";

export const lastFilter = (): string => last;

export function keepLastFilter(filter: string): void {
  last = filter;
}
