import { type Document, isMap } from "yaml";
import type { Act, Kind, Path } from "./sentence";

const LINE = { by: "line", side: "over", raiseAt: 100, clearAt: 80 };

/** What a rule of a kind needs besides what all have; `what` is what the rule looked for before. */
const PARTS: Readonly<Record<Kind, (what: string) => object>> = {
  count: (what) => ({ filter: what, count: 10, windowSeconds: 300 }),
  distinct: (what) => ({ filter: what, of: "src", count: 5, windowSeconds: 300 }),
  sequence: (what) => ({ steps: [{ filter: what }, { filter: "severity at least error" }], windowSeconds: 300 }),
  together: (what) => ({ parts: [{ filter: what }, { filter: "severity at least error" }], windowSeconds: 300 }),
  silence: (what) => ({ filter: what, afterSeconds: 900 }),
  first: (what) => ({ filter: what, unseenDays: 30, learningDays: 7 }),
  departure: (what) => ({ filter: what, measure: { of: "records" }, everySeconds: 600, judgement: LINE }),
  ratio: (what) => ({
    filter: what,
    of: "kind is syslog",
    everySeconds: 600,
    least: 20,
    side: "over",
    raiseAt: 0.5,
    clearAt: 0.3,
  }),
};
const JUDGEMENTS: Readonly<Record<string, object>> = {
  line: LINE,
  baseline: { by: "baseline", side: "over", z: 3.5, least: 0 },
  ewma: { by: "ewma", lambda: 0.3, k: 3, training: 20 },
  cusum: { by: "cusum", allowance: 0.5, limit: 5, training: 20 },
};
/** Kinds that end when their own condition does. */
const OWN_END: readonly string[] = ["silence", "departure", "ratio"];

const whatOf = (document: Document): string =>
  String(
    document.getIn(["filter"]) ??
      document.getIn(["steps", 0, "filter"]) ??
      document.getIn(["parts", 0, "filter"]) ??
      "",
  );

/**
 * Puts a value into its place in a rule, and what has to go with it: another kind, measure, judgement or clearing has other parts.
 * @param value undefined: it says nothing of that
 */
export function setValue(document: Document, at: Path, value: unknown): void {
  switch (at.join(".")) {
    case "kind":
      setKind(document, value as Kind);
      break;
    case "clear.by":
      put(document, ["clear"], clearingBy(document, String(value)));
      break;
    case "judgement.by":
      put(document, ["judgement"], JUDGEMENTS[String(value)]);
      break;
    case "measure.of":
      put(document, ["measure"], value === "sum" || value === "value" ? { of: value, field: "bytes" } : { of: value });
      break;
    default:
      if (value === undefined) document.deleteIn(at);
      else put(document, at, value);
  }
}

/** Does what a piece of the sentence offers. */
export function doAct(document: Document, act: Act): void {
  const list = (document.toJS() as Record<string, unknown>)[String(act.at[0])];
  const items: readonly unknown[] = Array.isArray(list) ? list : [];
  const next = act.do === "append" ? [...items, act.item] : items.filter((_, i) => i !== act.at[1]);
  if (next.length === 0) document.deleteIn([act.at[0]]);
  else put(document, [act.at[0]!], next);
}

const put = (document: Document, at: Path, value: unknown): void => document.setIn(at, document.createNode(value));

function setKind(document: Document, kind: Kind): void {
  const parts = PARTS[kind](whatOf(document));
  const all = new Set(Object.values(PARTS).flatMap((of) => Object.keys(of(""))));
  put(document, ["kind"], kind);
  for (const name of all) if (!(name in parts)) document.deleteIn([name]);
  for (const [name, value] of Object.entries(parts)) put(document, [name], value);
  if (document.getIn(["clear", "by"]) === "condition" && !OWN_END.includes(kind))
    put(document, ["clear"], clearingBy(document, "quiet"));
  // tests of the other kind try what is not asked any more
  document.deleteIn(["tests"]);
  // the words about it stay behind its logic
  if (isMap(document.contents)) for (const name of ["title", "clear", "reason"]) moveToEnd(document, name);
}

function moveToEnd(document: Document, name: string): void {
  const node = document.getIn([name], true);
  if (node === undefined) return;
  document.deleteIn([name]);
  document.setIn([name], node);
}

function clearingBy(document: Document, by: string): object {
  if (by === "quiet") return { by, seconds: 900 };
  // clear starts as a copy of raise
  return by === "record" ? { by, filter: whatOf(document) } : { by };
}
