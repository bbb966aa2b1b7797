import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Comparison, type Filter, placesIn, withPlaces } from "@halvik/core/query/filter";
import type { Pool } from "../../kernel/db/pool.js";
import { filterError } from "../../kernel/http/errors.js";
import { type ShapeFacts, shapeFacts } from "../../store/shapes.js";

/** Puts the shapes into a filter of whose places it asks. @throws where it does not say of which shape, or there is none */
export async function resolvePlaces(db: Pool, filter: Filter, directory: SenderDirectory): Promise<Filter> {
  const asked = placesIn(filter);
  if (asked.length === 0) return filter;
  const standing = (id: number | null) => (id === null ? null : directory.standingShape(id));
  const facts = await shapeFacts(
    db,
    asked.flatMap(({ shape }) => standing(shape) ?? []),
  );
  const shapes = new Map<Comparison, ShapeFacts>();
  for (const { comparison, shape } of asked) {
    const its = facts.get(standing(shape) ?? 0);
    if (its === undefined)
      throw filterError({
        code: "EXPECTED",
        message:
          shape === null
            ? `expected the shape whose $${comparison.place} is meant, such as: shape is 17 and $${comparison.place} is …`
            : `there is no shape ${shape}`,
        span: comparison.span,
        suggestion: null,
      });
    shapes.set(comparison, its);
  }
  return withPlaces(filter, shapes);
}
