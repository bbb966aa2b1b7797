import type { Filter } from "@halvik/core/query/filter";
import type pg from "pg";
import type { Config } from "../config/config.js";
import type { DirectoryCache } from "../store/directory-cache.js";
import type { TermIndex } from "../store/term-index.js";
import type { Questions } from "../work/questions.js";
import type { WorkPool } from "../work/work-pool.js";
import type { LiveFeed } from "./live-feed.js";
import type { Presenter } from "./presenter.js";
import type { Streams } from "./streams.js";

/** What routes work with. */
export interface Deps {
  readonly config: Config;
  readonly db: pg.Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly feed: LiveFeed;
  readonly terms: TermIndex;
  /** Who answers questions about a filter. */
  readonly ask: (filter: Filter) => Questions;
  /** Threads for what somebody wrote and may take long. */
  readonly work: WorkPool;
  /** Threads for rehearsals, which take minutes. */
  readonly rehearsals: WorkPool;
  readonly streams: Streams;
  /** What TLS syslog, HTTPS intake and the interface show (PEM). */
  readonly certificate: string | null;
  readonly version: string;
}
