import {
  ShapeDetail,
  ShapeId,
  type ShapeJson,
  ShapesAnswer,
  ShapesQuery,
  ShapeValues,
  ShapeValuesQuery,
  ShapeWrite,
} from "@halvik/contract/shapes";
import { type OwnMeaning, phraseCode } from "@halvik/core/meaning";
import type { Category } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool, Queryable } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { type ShapeFacts, shapeFacts } from "../../store/shapes.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { setMeaning } from "../names/repository.js";
import type { Ask } from "../records/questions.js";
import { readFilter } from "../records/read-filter.js";
import { searchedWindow } from "../records/searched-window.js";
import { listShapes } from "./list-shapes.js";
import { shapeJson } from "./shape-json.js";
import { nameShape, standingOf } from "./shapes-repository.js";
import { valuesOfShape } from "./values-of-shape.js";

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly models: Models;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly ask: Ask;
}

/** Message shapes: what records say, whatever of. */
export const shapeRoutes = (deps: Needs) => [
  route({
    method: "get",
    alsoPost: true,
    path: "/records/shapes",
    summary: "The records of a window by their message shapes",
    access: "read",
    query: ShapesQuery,
    answer: ShapesAnswer,
    handle: async ({ query, actor }) => {
      const started = performance.now();
      const now = nowUs();
      const { filter, senders } = await readFilter(deps, actor, query, now);
      const { steps, order, limit } = query;
      const asked = { filter, window: searchedWindow(query, filter, now), senders, steps, order, limit, nowUs: now };
      const answer = await listShapes(deps, asked);
      return { ...answer, tookMs: Math.round(performance.now() - started) };
    },
  }),
  route({
    method: "get",
    path: "/shapes/{id}",
    summary: "A message shape; of one that has become part of another, that one",
    access: "read",
    params: ShapeId,
    answer: ShapeDetail,
    handle: async ({ params }) => ({ shape: shapeJson(await needed(deps.db, params.id)) }),
  }),
  route({
    method: "patch",
    path: "/shapes/{id}",
    summary: "Says what a message shape is called and means",
    access: "act",
    params: ShapeId,
    body: ShapeWrite,
    answer: ShapeDetail,
    handle: async ({ params, body, actor }) => {
      const facts = await needed(deps.db, params.id);
      const { id } = facts;
      await inAct(deps.models, actor.name, async (act) => {
        await nameShape(act.db, id, body, act.who, act.atUs);
        if (body.asPhrase) await setMeaning(act.db, asPhrase(shapeJson(facts), body.category), act.who, act.atUs);
        await act.audit("shape named", { shape: id, ...body });
      });
      return { shape: shapeJson(await needed(deps.db, id)) };
    },
  }),
  route({
    method: "get",
    alsoPost: true,
    path: "/shapes/{id}/values",
    summary: "What stands in the places of a message shape, in the newest of its records of a window",
    access: "read",
    params: ShapeId,
    query: ShapeValuesQuery,
    answer: ShapeValues,
    handle: async ({ params, query, actor }) => {
      const now = nowUs();
      const { filter } = await readFilter(deps, actor, query, now);
      const facts = await needed(deps.db, params.id);
      return valuesOfShape(deps.ask, facts, filter, searchedWindow(query, filter, now), now);
    },
  }),
];

/** @throws where the shape has no words to know it by, or no category was chosen */
function asPhrase({ phrase, app }: ShapeJson, category: Category | null): OwnMeaning {
  if (phrase === undefined || category === null)
    throw new AppError(
      "BAD_REQUEST",
      phrase === undefined
        ? "asPhrase: expected a syslog message with words enough to know it by"
        : "asPhrase: expected a category",
      { field: "asPhrase" },
    );
  // an app without numbers of instances is one that can be named
  const apps = app === undefined || app.includes("#") ? undefined : [app];
  const code = phraseCode({ phrase, ...(apps === undefined ? {} : { apps }) });
  return { kind: "syslog", code, severity: null, category, outcome: "unknown", sentence: null, next: null };
}

async function needed(db: Queryable, id: number): Promise<ShapeFacts> {
  const standing = await standingOf(db, id);
  const facts = standing === null ? undefined : (await shapeFacts(db, [standing])).get(standing);
  if (facts === undefined) throw new AppError("NOT_FOUND", `there is no shape ${id}`);
  return facts;
}
