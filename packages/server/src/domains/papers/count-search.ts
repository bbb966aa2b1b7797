import { type EpochUs, formatUs, formatZoned, readRfc3339 } from "@halvik/core/base/time";
import { readFilter as filterInWords } from "@halvik/core/query/filter";
import type { Actor } from "../../kernel/actor.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import type { Window } from "../../kernel/http/window.js";
import type { SearchScope } from "../../store/search-query.js";
import type { TermIndex } from "../../store/term-index.js";
import { coverageJson, coverageOf } from "../intake/coverage.js";
import { sayCoverage } from "../intake/say-coverage.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Ask } from "../records/questions.js";
import { type FilterAsked, readFilter } from "../records/read-filter.js";
import { searchedWindow } from "../records/searched-window.js";

const BUDGET_MS = 8_000;

/** What counting takes. */
export interface SearchNeeds {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly ask: Ask;
  readonly terms: TermIndex;
}

export interface CountedSearch {
  readonly count: number;
  /** False: at least so many. */
  readonly isExact: boolean;
  /** The filter in words. */
  readonly reading: string;
  readonly zone: string;
  readonly window: Window;
  /** Told of the newest, if there was time for it. */
  readonly filter: SearchScope["filter"];
}

/** How many records a filter matches in a window, as someone may ask it. */
export async function countSearch(
  deps: Pick<SearchNeeds, "config" | "db" | "directory" | "ask">,
  actor: Actor,
  asked: FilterAsked,
  nowUs: EpochUs,
): Promise<CountedSearch> {
  const { filter, written } = await readFilter(deps, actor, asked, nowUs);
  const window = searchedWindow(asked, filter, nowUs);
  const zone = asked.zone ?? deps.config.HALVIK_ZONE;
  const said = { reading: filterInWords(written, formatUs), zone, window, filter };
  if (window.fromUs >= window.toUs) return { count: 0, isExact: true, ...said };
  const { total, exact } = await deps.ask(filter).histogram({
    filter,
    ...window,
    nowUs,
    budgetMs: BUDGET_MS,
    widthUs: window.toUs - window.fromUs,
  });
  return { count: total, isExact: exact, ...said };
}

/** What is known to be missing from a window, in words; empty: nothing. */
export async function sayLacking(deps: SearchNeeds, window: Window, zone: string, nowUs: EpochUs): Promise<string> {
  const context = { directory: await deps.directory.get(), nowUs, terms: deps.terms };
  const coverage = coverageJson(await coverageOf(deps.db, window, context));
  return sayCoverage(coverage, (at) => formatZoned(readRfc3339(at)!.us, zone)).join(" ");
}
