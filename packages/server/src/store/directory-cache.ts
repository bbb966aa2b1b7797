import { SenderDirectory } from "@halvik/core/senders";
import type { Queryable } from "./pool.js";
import { loadSenders } from "./senders.js";

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
