import { DataFieldsAnswer, RecordQuery, UnknownWords, UnknownWordsQuery } from "@halvik/contract/records";
import type { NotificationNames } from "@halvik/core/model/notifications";
import { dataFieldsOf } from "@halvik/core/model/record";
import { dataNamesIn, type Filter, nearest, quoteIfNeeded, wordsIn, writtenValuesIn } from "@halvik/core/query/filter";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { route } from "../../kernel/http/route.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Ask } from "./questions.js";
import { parseAsked, readFilter } from "./read-filter.js";
import { searchedWindow, windowJson } from "./searched-window.js";

/** Records whose named values are looked at: the newest that match. */
const LOOKED_AT = 2_000;
const FIELDS_SHOWN = 300;
const BUDGET_MS = 800;
/** Words that are looked for by themselves, and how long for each. */
const MOST_WORDS = 12;
const WORD_BUDGET_MS = 500;
/** Names of values stand in no index: all records are gone through. */
const NAME_BUDGET_MS = 3_000;
const MOST_NAMES = 3;
const NAMES_SHOWN = 6;
/** An event with a letter is asked for by a name; others by a number or an identifier. */
const NAME = /\p{L}/u;

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
      const isNowhere = async (one: Filter, budgetMs: number): Promise<boolean> => {
        const { records, partial, next } = await deps.ask(one).page({
          filter: one,
          fromUs: Number.MIN_SAFE_INTEGER,
          toUs: Number.MAX_SAFE_INTEGER,
          nowUs: now,
          limit: 1,
          cursor: null,
          direction: "older",
          budgetMs,
        });
        // one that was not looked for to the end may stand somewhere
        return records.length === 0 && !partial && next === null;
      };
      const unknown: string[] = [];
      for (const word of wordsIn(written).slice(0, MOST_WORDS))
        if (await isNowhere(word, WORD_BUDGET_MS)) unknown.push(query.filter.slice(word.span.start, word.span.end));
      const names: string[] = [];
      for (const one of dataNamesIn(written).slice(0, MOST_NAMES))
        if (await isNowhere(one, NAME_BUDGET_MS)) names.push(one.dataName ?? "");
      unknown.push(...names.map((name) => `data ${quoteIfNeeded(name)}`));
      const { notifications } = await deps.directory.get();
      const said = await valuesNowhere(writtenValuesIn(written), notifications, isNowhere);
      unknown.push(...said.map((v) => v.unknown));
      const exists = [
        ...said.flatMap((v) => v.exists),
        ...(names.length === 0 ? [] : await namesLike(deps, names, notifications, now)),
      ];
      return { unknown: [...new Set(unknown)], exists: [...new Set(exists)] };
    },
  }),
];

/**
 * Events asked for by a name that no module has and no record carries, and values of an object that are none of what it can be called,
 * each with what there is instead.
 */
async function valuesNowhere(
  said: ReturnType<typeof writtenValuesIn>,
  notifications: NotificationNames,
  isNowhere: (one: Filter, budgetMs: number) => Promise<boolean>,
): Promise<{ unknown: string; exists: readonly string[] }[]> {
  const found: { unknown: string; exists: readonly string[] }[] = [];
  const events = said.filter(
    (s) => s.dataName === null && NAME.test(s.value) && notifications.oids(s.value).length === 0,
  );
  for (const { value, alone } of events.slice(0, MOST_WORDS))
    if (await isNowhere(alone, WORD_BUDGET_MS)) {
      const like = nearest(value, notifications.names());
      found.push({ unknown: `event ${quoteIfNeeded(value)}`, exists: like === null ? [] : [like] });
    }
  const values = said.flatMap(({ dataName, value, alone }) => {
    const called = notifications.object(dataName ?? "")?.numbers;
    return dataName === null || !called?.size || called.has(value.toLowerCase()) || /^-?\d+$/.test(value)
      ? []
      : [{ dataName, value, alone, called: [...called.keys()] }];
  });
  for (const { dataName, value, alone, called } of values.slice(0, MOST_NAMES))
    if (await isNowhere(alone, NAME_BUDGET_MS))
      found.push({
        unknown: `data ${quoteIfNeeded(dataName)} is ${quoteIfNeeded(value)}`,
        exists: called.slice(0, NAMES_SHOWN),
      });
  return found;
}

/** What named values there are in the newest records; those most like some others, which there are not, first. */
async function namesLike(
  deps: Needs,
  names: readonly string[],
  notifications: NotificationNames,
  now: number,
): Promise<string[]> {
  const filter: Filter = { type: "everything" };
  const { records } = await deps.ask(filter).page({
    filter,
    fromUs: Number.MIN_SAFE_INTEGER,
    toUs: Number.MAX_SAFE_INTEGER,
    nowUs: now,
    limit: LOOKED_AT,
    cursor: null,
    direction: "older",
    budgetMs: BUDGET_MS,
  });
  const there = dataFieldsOf(records).map((f) => f.name);
  const like = names.map((name) => nearest(name, there) ?? nearest(name, notifications.objectNames()));
  return [...new Set([...like.filter((l) => l !== null), ...there])].slice(0, NAMES_SHOWN);
}
