import type { Comparison, Filter } from "./ast.js";

/** The words and texts that a filter looks for in messages, each as a filter of its own that is not negated; once each, in their order. */
export function wordsIn(filter: Filter): Comparison[] {
  return onceEach(filter, (node) =>
    node.field === "text" && node.test.op === "has"
      ? [`${node.test.mode} ${node.test.value}`, { ...node, negated: false }]
      : null,
  );
}

/** The named values that a filter asks for, each as a filter that any such value meets; once each, in their order. */
export function dataNamesIn(filter: Filter): Comparison[] {
  return onceEach(filter, (node) =>
    node.field === "data" && node.place === undefined
      ? [node.dataName ?? "", { ...node, negated: false, test: { op: "present" } }]
      : null,
  );
}

/** A value that a filter asks for as it was said, and what asks for nothing else. */
interface WrittenValue {
  /** Of which named value; null: of the event. */
  readonly dataName: string | null;
  readonly value: string;
  readonly alone: Comparison;
}

/** The events and the values of named ones that a filter asks for, each as a filter that is not negated; once each, in their order. */
export function writtenValuesIn(filter: Filter): WrittenValue[] {
  const found: WrittenValue[] = [];
  const asked = onceEach(filter, (node) =>
    (node.field === "event" || (node.field === "data" && node.place === undefined)) && node.test.op === "oneOf"
      ? [`${node.field} ${node.dataName ?? ""} ${node.test.values.join(" ")}`, node]
      : null,
  );
  for (const node of asked)
    for (const value of node.test.op === "oneOf" ? node.test.values : [])
      found.push({
        dataName: node.field === "data" ? (node.dataName ?? "") : null,
        value,
        alone: { ...node, negated: false, test: { op: "oneOf", values: [value] } },
      });
  return found;
}

function onceEach(filter: Filter, of: (node: Comparison) => [key: string, Comparison] | null): Comparison[] {
  const found = new Map<string, Comparison>();
  const visit = (node: Filter): void => {
    switch (node.type) {
      case "and":
      case "or":
        node.items.forEach(visit);
        break;
      case "not":
      case "after":
        visit(node.item);
        break;
      case "compare": {
        const one = of(node);
        if (one !== null && !found.has(one[0])) found.set(...one);
        break;
      }
      case "everything":
    }
  };
  visit(filter);
  return [...found.values()];
}
