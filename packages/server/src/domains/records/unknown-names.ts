import { dataFieldsOf } from "@halvik/core/model/record";
import { dataNamesIn, type Filter, nearest, quoteIfNeeded, writtenValuesIn } from "@halvik/core/query/filter";
import { AppError } from "../../kernel/http/errors.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Ask } from "./questions.js";

/** Records whose named values are looked at: the newest. */
const LOOKED_AT = 2_000;
const BUDGET_MS = 800;
/** Names of values stand in no index: all records are gone through. */
const NAME_BUDGET_MS = 3_000;
const EVENT_BUDGET_MS = 500;
/** For a search that found nothing: whoever waits for its answer waits for this as well. */
const REFUSE_BUDGET_MS = 300;
const MOST_NAMES = 3;
const MOST_EVENTS = 12;
const NAMES_SHOWN = 6;
/** What formats and rules of arrival add to records: it is known where none has it yet. */
const ADDED = ["format", "tag", "site"];
/** An event with a letter is asked for by a name; others by a number or an identifier. */
const NAME = /\p{L}/u;

/** What this works with. */
interface Needs {
  readonly ask: Ask;
  readonly directory: DirectoryCache;
}

/** A part of a filter that finds nothing, and what there is instead of it. */
interface Unknown {
  /** As it is written in a filter. */
  readonly written: string;
  readonly sort: "name" | "event" | "value";
  /** The name of the value; of an event, its own. */
  readonly name: string;
  readonly span: { readonly start: number; readonly end: number };
  readonly exists: readonly string[];
}

/** Whether no record that is kept matches, whatever the window: what was not looked for to the end may stand somewhere. */
export async function isNowhere(ask: Ask, one: Filter, nowUs: number, budgetMs: number): Promise<boolean> {
  const { records, partial, next } = await ask(one).page({
    filter: one,
    fromUs: Number.MIN_SAFE_INTEGER,
    toUs: Number.MAX_SAFE_INTEGER,
    nowUs,
    limit: 1,
    cursor: null,
    direction: "older",
    budgetMs,
  });
  return records.length === 0 && !partial && next === null;
}

/**
 * The names of a filter that stand in no record that is kept: of named values; of events that no module has either; and values of an
 * object that are none of what it can be called.
 * @param withinMs how long all of it may take together; what is not decided by then is not among them
 */
export async function unknownNamesIn(
  { ask, directory }: Needs,
  written: Filter,
  nowUs: number,
  withinMs = Number.POSITIVE_INFINITY,
): Promise<Unknown[]> {
  const { notifications } = await directory.get();
  const untilMs = performance.now() + withinMs;
  const isFoundNowhere = async (one: Filter, budgetMs: number): Promise<boolean> => {
    const leftMs = Math.min(budgetMs, untilMs - performance.now());
    return leftMs > 0 && isNowhere(ask, one, nowUs, leftMs);
  };
  const unknown: Unknown[] = [];
  const names = dataNamesIn(written).slice(0, MOST_NAMES);
  const nowhere = [];
  for (const one of names) if (await isFoundNowhere(one, NAME_BUDGET_MS)) nowhere.push(one);
  const there = nowhere.length === 0 ? [] : await namesThere(ask, nowUs);
  for (const { dataName, span } of nowhere) {
    const name = dataName ?? "";
    const like = nearest(name, there) ?? nearest(name, notifications.objectNames());
    const exists = [...new Set([...(like === null ? [] : [like]), ...there])].slice(0, NAMES_SHOWN);
    unknown.push({ written: `data ${quoteIfNeeded(name)}`, sort: "name", name, span, exists });
  }
  const values = writtenValuesIn(written);
  const events = values.filter(
    (s) => s.dataName === null && NAME.test(s.value) && notifications.oids(s.value).length === 0,
  );
  for (const { value, alone } of events.slice(0, MOST_EVENTS))
    if (await isFoundNowhere(alone, EVENT_BUDGET_MS)) {
      const like = nearest(value, notifications.names());
      unknown.push({
        written: `event ${quoteIfNeeded(value)}`,
        sort: "event",
        name: value,
        span: alone.span,
        exists: like === null ? [] : [like],
      });
    }
  const called = values.flatMap(({ dataName, value, alone }) => {
    const numbers = notifications.object(dataName ?? "")?.numbers;
    return dataName === null || !numbers?.size || numbers.has(value.toLowerCase()) || /^-?\d+$/.test(value)
      ? []
      : [{ name: dataName, value, alone, called: [...numbers.keys()] }];
  });
  for (const { name, value, alone, called: exists } of called.slice(0, MOST_NAMES))
    if (await isFoundNowhere(alone, NAME_BUDGET_MS))
      unknown.push({
        written: `data ${quoteIfNeeded(name)} is ${quoteIfNeeded(value)}`,
        sort: "value",
        name,
        span: alone.span,
        exists: exists.slice(0, NAMES_SHOWN),
      });
  return unknown;
}

/**
 * Refuses a search that found nothing where one of its names is to blame: nothing that is kept has it and no module knows it, so that
 * an empty answer would say what is not so. What a third of a second does not decide, in a large store, is not refused.
 * @throws {AppError} BAD_FILTER, with where it stands and what there is
 */
export async function refuseUnknownNames(deps: Needs, written: Filter, nowUs: number): Promise<void> {
  const { notifications } = await deps.directory.get();
  const unknown = (await unknownNamesIn(deps, written, nowUs, REFUSE_BUDGET_MS)).find(
    // an object of a module may be waited for
    (u) => u.sort !== "name" || (notifications.object(u.name) === undefined && !ADDED.includes(u.name.toLowerCase())),
  );
  if (unknown === undefined) return;
  const { span, exists } = unknown;
  throw new AppError(
    "BAD_FILTER",
    `column ${span.start + 1}: no record that is kept has ${unknown.written}${exists.length === 0 ? "" : `; there are: ${exists.join(", ")}`}`,
    { position: { start: span.start, end: span.end } },
  );
}

/** What named values there are in the newest records. */
async function namesThere(ask: Ask, nowUs: number): Promise<string[]> {
  const filter: Filter = { type: "everything" };
  const { records } = await ask(filter).page({
    filter,
    fromUs: Number.MIN_SAFE_INTEGER,
    toUs: Number.MAX_SAFE_INTEGER,
    nowUs,
    limit: LOOKED_AT,
    cursor: null,
    direction: "older",
    budgetMs: BUDGET_MS,
  });
  return dataFieldsOf(records).map((f) => f.name);
}
