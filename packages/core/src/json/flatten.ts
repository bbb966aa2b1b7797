/** Leaves of a JSON value as text, by their path; bounded. */
export const MAX_LEAVES = 200;
const MAX_DEPTH = 16;
const MAX_VALUE = 4_000;

export type Leaf = readonly [path: string, value: string];

export function flatten(value: unknown): Leaf[] {
  const out: Leaf[] = [];
  const walk = (v: unknown, path: string, depth: number) => {
    if (out.length >= MAX_LEAVES || v === null || v === undefined) return;
    if (typeof v !== "object") out.push([path, String(v).slice(0, MAX_VALUE)]);
    else if (depth >= MAX_DEPTH) out.push([path, JSON.stringify(v).slice(0, MAX_VALUE)]);
    else
      for (const [name, inner] of Array.isArray(v) ? v.entries() : Object.entries(v))
        walk(inner, path === "" ? String(name) : `${path}.${name}`, depth + 1);
  };
  walk(value, "", 0);
  return out;
}
