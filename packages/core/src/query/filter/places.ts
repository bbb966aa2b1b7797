import type { MessageShape } from "../../shapes/index.js";
import type { Comparison, Filter } from "./ast.js";

/** A question about a place of a shape, with the shape it is asked of; null: the filter does not say of which. */
export interface PlaceAsked {
  readonly comparison: Comparison;
  readonly shape: number | null;
}

/** Where a filter asks what stands in a place of a shape. The shape is the one that is asked for beside it, joined by and. */
export function placesIn(filter: Filter, shape: number | null = null): readonly PlaceAsked[] {
  switch (filter.type) {
    case "everything":
      return [];
    case "and": {
      const named = filter.items.map(shapeNamed).find((id) => id !== null) ?? shape;
      return filter.items.flatMap((item) => placesIn(item, named));
    }
    case "or":
      return filter.items.flatMap((item) => placesIn(item, shape));
    case "not":
    case "after":
      return placesIn(filter.item, shape);
    case "compare":
      return filter.place === undefined ? [] : [{ comparison: filter, shape }];
  }
}

/** A filter whose questions about places know their shapes. @param shapes for each of `placesIn` */
export function withPlaces(
  filter: Filter,
  shapes: ReadonlyMap<Comparison, Pick<MessageShape, "tokens" | "numbers">>,
): Filter {
  switch (filter.type) {
    case "everything":
      return filter;
    case "and":
    case "or":
      return { ...filter, items: filter.items.map((item) => withPlaces(item, shapes)) };
    case "not":
      return { ...filter, item: withPlaces(filter.item, shapes) };
    case "after":
      return { ...filter, item: withPlaces(filter.item, shapes) };
    case "compare": {
      const ofShape = shapes.get(filter);
      return ofShape === undefined ? filter : { ...filter, ofShape };
    }
  }
}

/** The one shape that a part of a filter asks for. */
function shapeNamed(part: Filter): number | null {
  if (part.type === "and") return part.items.map(shapeNamed).find((id) => id !== null) ?? null;
  if (part.type !== "compare" || part.field !== "shape" || part.negated || part.test.op !== "ranges") return null;
  const [range, ...others] = part.test.ranges;
  return others.length === 0 && range !== undefined && range[0] === range[1] ? Number(range[0]) : null;
}
