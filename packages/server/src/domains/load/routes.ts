import { LoadAnswer, LoadQuery, Suggestions, SuggestionsQuery } from "@halvik/contract/load";
import { US_PER_DAY } from "@halvik/core/base/time";
import { readKeptRule } from "@halvik/core/detect";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { readWindow } from "../../kernel/http/window.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { listRules } from "../rules/repository.js";
import { load } from "./load.js";
import { suggestions } from "./suggestions.js";

const MOST_DAYS = 400;

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
}

/** The rules that can be read. */
const keptRules = async (db: Pool) =>
  (await listRules(db)).flatMap(({ body }) => {
    const kept = readKeptRule(body);
    return kept === null ? [] : [kept.rule];
  });

export const loadRoutes = ({ config, db, directory }: Needs) => [
  route({
    method: "get",
    path: "/load",
    summary: "The load of alarms on everybody, or of messages on one person, beside published figures",
    access: "read",
    query: LoadQuery,
    answer: LoadAnswer,
    handle: async ({ query }) => {
      const { fromUs, toUs } = readWindow(query, nowUs());
      if (toUs - fromUs > MOST_DAYS * US_PER_DAY)
        throw new AppError("BAD_REQUEST", `expected a window of ${MOST_DAYS} days at most`);
      const senders = await directory.get();
      const rules = new Map((await keptRules(db)).map((rule) => [rule.id, rule.name]));
      return load(
        db,
        { fromUs, toUs, person: query.person ?? null, liveOnly: query.live === "true" },
        { rule: (id) => rules.get(id) ?? id, sender: (id) => senders.name(id) },
      );
    },
  }),
  route({
    method: "get",
    path: "/load/suggestions",
    summary: "Changes of rules by which less would have come, and nothing of what was fixed",
    access: "read",
    query: SuggestionsQuery,
    answer: Suggestions,
    handle: async ({ query: { days } }) => {
      const sinceUs = nowUs() - days * US_PER_DAY;
      return { days, suggestions: await suggestions(db, await keptRules(db), sinceUs, config.HALVIK_ZONE) };
    },
  }),
];
