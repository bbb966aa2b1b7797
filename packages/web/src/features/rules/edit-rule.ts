import { type Act, FORMS, JUDGEMENTS, type Path, type RuleKindName } from "@halvik/core/detect/form";
import { type Document, isMap, parseDocument } from "yaml";

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
      setKind(document, value as RuleKindName);
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

/** A rule as a file without the tests of some names. */
export function withoutTests(text: string, names: readonly string[]): string {
  const document = parseDocument(text);
  const tests = (document.toJS() as { tests?: readonly { name?: unknown }[] } | null)?.tests ?? [];
  for (let i = tests.length - 1; i >= 0; i--)
    if (names.includes(String(tests[i]?.name))) document.deleteIn(["tests", i]);
  return document.toString({ lineWidth: 100 });
}

/** What switching a rule changes. */
export interface RuleChange {
  readonly enabled?: boolean;
  readonly listenOnly?: boolean;
}

/** A rule as a file, switched; a state that goes without saying is not said. */
export function switched(text: string, change: RuleChange): string {
  const document = parseDocument(text);
  if (document.errors.length > 0) return text;
  const usual = { enabled: true, listenOnly: false } as const;
  for (const name of ["enabled", "listenOnly"] as const) {
    const value = change[name];
    if (value === undefined) continue;
    if (value === usual[name]) document.deleteIn([name]);
    else put(document, [name], value);
  }
  return document.toString({ lineWidth: 100 });
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

function setKind(document: Document, kind: RuleKindName): void {
  const parts = FORMS[kind].parts(whatOf(document));
  const all = new Set(Object.values(FORMS).flatMap((form) => Object.keys(form.parts(""))));
  put(document, ["kind"], kind);
  for (const name of all) if (!(name in parts)) document.deleteIn([name]);
  for (const [name, value] of Object.entries(parts)) put(document, [name], value);
  if (document.getIn(["clear", "by"]) === "condition" && FORMS[kind].endsItself === null)
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
