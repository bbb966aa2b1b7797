import type { DirectoryCache } from "../../domains/intake/senders/directory-cache.js";
import type { Presenter } from "../../domains/names/presenter.js";
import type { LiveFeed } from "../../domains/records/live-feed.js";
import type { Ask } from "../../domains/records/questions.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import type { Streams } from "../../kernel/http/streams.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import type { TermIndex } from "../../store/term-index.js";

/** What all routes work with; each takes what it needs of it. */
export interface Deps {
  readonly models: Models;
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly feed: LiveFeed;
  readonly terms: TermIndex;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
  /** Threads for what somebody wrote and may take long. */
  readonly work: WorkPool;
  /** Threads for rehearsals, which take minutes. */
  readonly rehearsals: WorkPool;
  readonly streams: Streams;
  /** What TLS syslog, HTTPS intake and the interface show (PEM). */
  readonly certificate: string | null;
  readonly version: string;
}
