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
    else if (depth >= MAX_DEPTH) out.push([path, jsonBegin(v, MAX_VALUE)]);
    else
      for (const [name, inner] of Array.isArray(v) ? v.entries() : Object.entries(v)) {
        walk(inner, path === "" ? String(name) : `${path}.${name}`, depth + 1);
        // a list of millions is not walked for what is not kept
        if (out.length >= MAX_LEAVES) return;
      }
  };
  walk(value, "", 0);
  return out;
}

/** The beginning of a value's JSON, without recursion: a value may be nested deeper than a stack. */
function jsonBegin(value: object, most: number): string {
  let out = "";
  const ahead: (string | { readonly value: unknown })[] = [{ value }];
  while (ahead.length > 0 && out.length < most) {
    const next = ahead.pop()!;
    if (typeof next === "string") out += next;
    else if (typeof next.value !== "object" || next.value === null) out += JSON.stringify(next.value);
    else {
      const isList = Array.isArray(next.value);
      // no more members than could be written
      const members = isList
        ? (next.value as unknown[]).slice(0, most).map((v) => ["", v] as const)
        : Object.entries(next.value).slice(0, most);
      ahead.push(isList ? "]" : "}");
      for (let i = members.length - 1; i >= 0; i--) {
        const [name, member] = members[i]!;
        ahead.push({ value: member }, `${i > 0 ? "," : ""}${isList ? "" : `${JSON.stringify(name)}:`}`);
      }
      out += isList ? "[" : "{";
    }
  }
  return out.slice(0, most);
}
