/** Text that no Markdown reader takes for markup. */
export const plain = (text: string): string =>
  text.replace(/[\r\n]+/g, " ").replace(/[\\`*_{}[\]<>#|!~]/g, (c) => `\\${c}`);

/** A code block whose fence is longer than any run of backticks in it. */
export function fenced(lines: readonly string[]): string[] {
  const text = lines.map((l) => l.replace(/[\r\n]+/g, " "));
  const longest = Math.max(2, ...text.flatMap((l) => [...l.matchAll(/`+/g)].map((m) => m[0].length)));
  const fence = "`".repeat(longest + 1);
  return [fence, ...text, fence];
}
