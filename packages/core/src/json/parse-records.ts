import type { DecodeProblem } from "../bytes/index.js";

export type JsonItem = { readonly json: string } | { readonly problem: DecodeProblem };

const MAX_RECORD = 256 * 1024;

/**
 * The records of a body: one object, an array of objects, or an object a line. Each comes as JSON text of its own; what is
 * no object is a problem with its line or place.
 */
export function* parseJsonRecords(text: string): Generator<JsonItem> {
  const trimmed = text.trim();
  if (trimmed === "") return;
  const whole = tryParse(trimmed);
  if (whole.ok && Array.isArray(whole.value)) {
    for (const [i, item] of whole.value.entries()) yield asItem(item, JSON.stringify(item), `record ${i + 1}`);
    return;
  }
  if (whole.ok) {
    yield asItem(whole.value, trimmed, "record 1");
    return;
  }
  let line = 0;
  for (const part of text.split("\n")) {
    line++;
    const one = part.trim();
    if (one === "") continue;
    const parsed = tryParse(one);
    yield parsed.ok ? asItem(parsed.value, one, `line ${line}`) : bad(`line ${line}: ${parsed.message}`);
  }
}

function asItem(value: unknown, json: string, where: string): JsonItem {
  if (typeof value !== "object" || value === null || Array.isArray(value))
    return bad(
      `${where}: expected an object, got ${Array.isArray(value) ? "an array" : value === null ? "null" : typeof value}`,
    );
  if (json.length > MAX_RECORD) return bad(`${where}: expected at most ${MAX_RECORD} characters, got ${json.length}`);
  return { json };
}

const bad = (message: string): JsonItem => ({ problem: { code: "BAD_JSON", offset: 0, message: `JSON ${message}` } });

function tryParse(text: string): { ok: true; value: unknown } | { ok: false; message: string } {
  try {
    return { ok: true, value: JSON.parse(text) };
  } catch (e) {
    return { ok: false, message: e instanceof Error ? e.message.slice(0, 120) : "not JSON" };
  }
}
