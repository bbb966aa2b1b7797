import { SenderDirectory } from "@halvik/core/senders";
import type pg from "pg";
import type { Config } from "../config/config.js";
import type { Queryable } from "../store/pool.js";
import { loadSenders } from "../store/senders.js";
import type { TermIndex } from "../store/term-index.js";
import type { LiveFeed } from "./live-feed.js";
import type { Presenter } from "./presenter.js";

/** What routes work with. */
export interface Deps {
  readonly config: Config;
  readonly db: pg.Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly feed: LiveFeed;
  readonly terms: TermIndex;
  readonly version: string;
}

/** The sender directory, read again when its version has changed. */
export class DirectoryCache {
  private cached: { version: number; directory: SenderDirectory } | null = null;

  constructor(
    private readonly db: Queryable,
    private readonly zone: string,
  ) {}

  async get(): Promise<SenderDirectory> {
    const { rows } = await this.db.query<{ version: number }>("select version from directory_version");
    const version = rows[0]!.version;
    if (this.cached?.version !== version)
      this.cached = { version, directory: new SenderDirectory(await loadSenders(this.db, this.zone)) };
    return this.cached.directory;
  }
}
