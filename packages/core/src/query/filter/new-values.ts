import type { Comparison, Filter } from "./ast.js";

/** Where a filter asks for what is new: of the first such place; null: nowhere. */
export function asksForNew(filter: Filter): Comparison | null {
  switch (filter.type) {
    case "everything":
      return null;
    case "and":
    case "or":
      return filter.items.map(asksForNew).find((f) => f !== null) ?? null;
    case "not":
      return asksForNew(filter.item);
    case "after":
      return asksForNew(filter.item);
    case "compare":
      return filter.test.op === "new" ? filter : null;
  }
}

/** A filter with the shapes that are new in the place of the question. @param shapes ascending */
export function withNewShapes(filter: Filter, shapes: readonly number[]): Filter {
  switch (filter.type) {
    case "everything":
      return filter;
    case "and":
    case "or":
      return { ...filter, items: filter.items.map((item) => withNewShapes(item, shapes)) };
    case "not":
      return { ...filter, item: withNewShapes(filter.item, shapes) };
    case "after":
      return { ...filter, item: withNewShapes(filter.item, shapes) };
    case "compare":
      return filter.test.op === "new" ? { ...filter, test: { op: "ranges", ranges: stretches(shapes) } } : filter;
  }
}

/** Numbers as stretches of those that follow each other. */
function stretches(numbers: readonly number[]): (readonly [number, number])[] {
  const out: [number, number][] = [];
  for (const n of numbers) {
    const last = out[out.length - 1];
    if (last !== undefined && n === last[1] + 1) last[1] = n;
    else out.push([n, n]);
  }
  // no number is less than nothing
  return out.length === 0 ? [[1, 0]] : out;
}
