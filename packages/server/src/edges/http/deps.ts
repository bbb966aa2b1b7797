import type { Filter } from "@halvik/core/query/filter";
import type pg from "pg";
import type { DirectoryCache } from "../../domains/names/directory-cache.js";
import type { LiveFeed } from "../../domains/records/live-feed.js";
import type { Presenter } from "../../domains/records/present.js";
import type { Questions } from "../../domains/records/questions.js";
import type { Config } from "../../kernel/config/config.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import type { TermIndex } from "../../store/term-index.js";
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
