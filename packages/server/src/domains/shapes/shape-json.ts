import type { ShapeJson } from "@halvik/contract/shapes";
import { formatUs } from "@halvik/core/base/time";
import { CATEGORIES } from "@halvik/core/model/record";
import { originParts, phraseOf, shapeText } from "@halvik/core/shapes";
import type { ShapeFacts } from "../../store/shapes.js";

/** A shape as the API tells it. */
export function shapeJson(facts: ShapeFacts): ShapeJson {
  const { kind, app, event, action } = originParts(facts.origin);
  const text = shapeText(facts);
  const phrase = kind === "syslog" ? phraseOf(facts) : null;
  return {
    id: facts.id,
    ...(text === null ? {} : { text }),
    kind,
    ...(app === null ? {} : { app }),
    ...(event === null ? {} : { event }),
    ...(action === null ? {} : { action }),
    ...(phrase === null ? {} : { phrase }),
    version: facts.version,
    firstEver: formatUs(facts.firstUs),
    lastEver: formatUs(facts.lastUs),
    name: facts.name,
    meaning: facts.meaning,
    ...(facts.category === null ? {} : { category: CATEGORIES[facts.category]! }),
    ...(facts.namedBy === "" ? {} : { namedBy: facts.namedBy }),
    parts: [...facts.parts],
  };
}
