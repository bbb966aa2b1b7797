import type { Overview } from "@halvik/contract/overview";
import { US_PER_MINUTE } from "@halvik/core/base/time";
import { LRUCache } from "lru-cache";
import type { Pool } from "../../kernel/db/pool.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { senderStatus } from "../intake/senders/status-repository.js";
import type { Ask } from "../records/questions.js";
import { overview } from "./overview.js";

/** A night is counted anew this often, however many look at it. */
const KEPT_US = 2 * US_PER_MINUTE;
const MOST_ZONES = 50;

interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
}

/** The last night by the clock of a zone, counted once for everybody. */
export class KeptOverview {
  private readonly kept = new LRUCache<string, { readonly atUs: number; readonly answer: Promise<Overview> }>({
    max: MOST_ZONES,
  });

  constructor(private readonly needs: Needs) {}

  of(zone: string, nowUs: number): Promise<Overview> {
    const before = this.kept.get(zone);
    if (before !== undefined && nowUs - before.atUs < KEPT_US) return before.answer;
    const answer = this.count(zone, nowUs);
    this.kept.set(zone, { atUs: nowUs, answer });
    // what failed is asked again
    answer.catch(() => this.kept.delete(zone));
    return answer;
  }

  private async count(zone: string, nowUs: number): Promise<Overview> {
    const { db, directory, ask } = this.needs;
    const senders = await directory.get();
    const status = await senderStatus(db, senders);
    const silent = new Set(status.filter((s) => s.state === "admitted" && s.silentSince !== null).map((s) => s.id));
    return overview({ db, ask, senders, silent }, zone, nowUs);
  }
}
