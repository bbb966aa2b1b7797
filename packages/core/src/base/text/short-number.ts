/** Of the SI, each a thousand of the one before. */
const PREFIXES = ["", "k", "M", "G", "T", "P", "E"] as const;

/** Three digits and a prefix of the SI: `61.2 GB`, `9.10 Mb/s`, `0`; what rounds to a thousand is one of the next. */
export function shortNumber(n: number, unit = ""): string {
  let power = 0;
  let value = n;
  while (power < PREFIXES.length - 1 && Math.abs(Number(threeDigits(value))) >= 1_000) {
    value /= 1_000;
    power++;
  }
  return `${threeDigits(value)} ${PREFIXES[power]}${unit}`.trim();
}

function threeDigits(value: number): string {
  const size = Math.abs(value);
  return value.toFixed(Number.isInteger(value) || size >= 99.95 ? 0 : size >= 9.995 ? 1 : 2);
}

/** A whole number with its thousands told apart: `1,234,567`. */
export const thousands = (n: number): string => n.toLocaleString("en", { maximumFractionDigits: 0 });
