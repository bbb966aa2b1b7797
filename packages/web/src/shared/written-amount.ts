const UNITS = [
  ["TB", 1e12],
  ["GB", 1e9],
  ["MB", 1e6],
  ["kB", 1e3],
] as const;

/** From here on a whole thousand is said with its unit: smaller numbers count things. */
const LEAST = 1e6;

/** A number as people read it: great ones of whole hundredths of a unit with that, others by their digits; `readAmount` reads it back. */
export function writeAmount(n: number): string {
  const unit = UNITS.find(([, size]) => n >= LEAST && n >= size && Number.isInteger((n / size) * 100));
  return unit === undefined ? String(n) : `${n / unit[1]} ${unit[0]}`;
}

/** A number, with a unit or not; null where it is none. */
export function readAmount(text: string): number | null {
  const found = /^\s*(-?\d+(?:\.\d+)?)\s*(?:([kmgt])b?)?\s*$/i.exec(text);
  if (found === null) return null;
  const size =
    found[2] === undefined ? 1 : UNITS.find(([name]) => name[0]!.toLowerCase() === found[2]!.toLowerCase())![1];
  return Number(found[1]) * size;
}
