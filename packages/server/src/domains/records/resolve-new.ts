import { asksForNew, type Filter, withNewShapes } from "@halvik/core/query/filter";
import type { Pool } from "../../kernel/db/pool.js";
import { filterError } from "../../kernel/http/errors.js";
import type { Window } from "../../kernel/http/window.js";
import { shapesFirstSeen } from "../../store/shapes.js";

/** More new shapes at once are those of a store that has just begun to learn. */
const MOST_NEW = 5_000;

/** Puts the message shapes that were first seen within the window where a filter asks for what is new. @throws TOO_COSTLY, where they are too many */
export async function resolveNew(db: Pool, filter: Filter, window: Window): Promise<Filter> {
  const asked = asksForNew(filter);
  if (asked === null) return filter;
  const shapes = await shapesFirstSeen(db, window, MOST_NEW + 1);
  if (shapes.length > MOST_NEW)
    throw filterError({
      code: "TOO_COSTLY",
      message: `more than ${MOST_NEW} shapes are new in this window: narrow it`,
      span: asked.span,
      suggestion: null,
    });
  return withNewShapes(filter, shapes);
}
