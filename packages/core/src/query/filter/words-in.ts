import type { Comparison, Filter } from "./ast.js";

/** The words and texts that a filter looks for in messages, each as a filter of its own that is not negated; once each, in their order. */
export function wordsIn(filter: Filter): Comparison[] {
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
      case "compare":
        if (node.field !== "text" || node.test.op !== "has") break;
        if (!found.has(keyOf(node.test))) found.set(keyOf(node.test), { ...node, negated: false });
        break;
      case "everything":
    }
  };
  visit(filter);
  return [...found.values()];
}

const keyOf = ({ mode, value }: Extract<Comparison["test"], { op: "has" }>): string => `${mode} ${value}`;
