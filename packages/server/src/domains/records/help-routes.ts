import { DataFieldsAnswer, RecordQuery, UnknownWords, UnknownWordsQuery } from "@halvik/contract/records";
import { dataFieldsOf } from "@halvik/core/model/record";
import { wordsIn } from "@halvik/core/query/filter";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { route } from "../../kernel/http/route.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Ask } from "./questions.js";
import { parseAsked, readFilter } from "./read-filter.js";
import { searchedWindow, windowJson } from "./searched-window.js";
import { isNowhere, unknownNamesIn } from "./unknown-names.js";

/** Records whose named values are looked at: the newest that match. */
const LOOKED_AT = 2_000;
const FIELDS_SHOWN = 300;
const BUDGET_MS = 800;
/** Words that are looked for by themselves, and how long for each. */
const MOST_WORDS = 12;
const WORD_BUDGET_MS = 500;

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly ask: Ask;
}

/** What helps to write a filter: the named values there are, and words that nothing holds. */
export const filterHelpRoutes = (deps: Needs) => [
  route({
    method: "get",
    alsoPost: true,
    path: "/records/data-fields",
    summary: "The named values that the newest records of a window carry, with what sort of values they are",
    access: "read",
    query: RecordQuery.pick({ filter: true, from: true, to: true, zone: true }),
    answer: DataFieldsAnswer,
    handle: async ({ query, actor }) => {
      const now = nowUs();
      const { filter } = await readFilter(deps, actor, query, now);
      const window = searchedWindow(query, filter, now);
      const { records, next, partial } = await deps.ask(filter).page({
        filter,
        ...window,
        nowUs: now,
        limit: LOOKED_AT,
        cursor: null,
        direction: "older",
        budgetMs: BUDGET_MS,
      });
      const fields = dataFieldsOf(records);
      return {
        fields: fields.slice(0, FIELDS_SHOWN),
        others: Math.max(0, fields.length - FIELDS_SHOWN),
        looked: records.length,
        isAll: next === null && !partial,
        window: windowJson(window),
      };
    },
  }),
  route({
    method: "get",
    alsoPost: true,
    path: "/records/unknown-words",
    summary: "Which words and texts of a filter stand in no record that is kept, whatever the window",
    access: "read",
    query: UnknownWordsQuery,
    answer: UnknownWords,
    handle: async ({ query, actor }) => {
      const now = nowUs();
      const { written } = await parseAsked(deps, actor, query);
      const unknown: string[] = [];
      for (const word of wordsIn(written).slice(0, MOST_WORDS))
        if (await isNowhere(deps.ask, word, now, WORD_BUDGET_MS))
          unknown.push(query.filter.slice(word.span.start, word.span.end));
      const names = await unknownNamesIn(deps, written, now);
      return {
        unknown: [...new Set([...unknown, ...names.map((u) => u.written)])],
        exists: [...new Set(names.flatMap((u) => u.exists))],
      };
    },
  }),
];
