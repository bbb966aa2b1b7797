import { Overview, OverviewQuery } from "@halvik/contract/overview";
import { isZone, US_PER_MINUTE } from "@halvik/core/base/time";
import { LRUCache } from "lru-cache";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { senderStatus } from "../intake/senders/status-repository.js";
import type { Ask } from "../records/questions.js";
import { overview } from "./overview.js";

/** A night is counted anew this often, however many look at it. */
const KEPT_US = 2 * US_PER_MINUTE;
const MOST_ZONES = 50;

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
}

export const overviewRoutes = ({ config, db, directory, ask }: Needs) => {
  const kept = new LRUCache<string, { readonly atUs: number; readonly answer: Promise<Overview> }>({ max: MOST_ZONES });
  const count = async (zone: string, now: number) => {
    const senders = await directory.get();
    const status = await senderStatus(db, senders);
    const silent = new Set(status.filter((s) => s.state === "admitted" && s.silentSince !== null).map((s) => s.id));
    return overview({ db, ask, senders, silent }, zone, now);
  };
  return [
    route({
      method: "get",
      path: "/overview",
      summary: "The last night beside those before it, the sites, and the incidents of a week",
      access: "read",
      query: OverviewQuery,
      answer: Overview,
      handle: ({ query }) => {
        const zone = query.zone ?? config.HALVIK_ZONE;
        if (!isZone(zone)) throw new AppError("BAD_REQUEST", `zone: "${zone}" is no IANA zone`, { field: "zone" });
        const now = nowUs();
        const before = kept.get(zone);
        if (before !== undefined && now - before.atUs < KEPT_US) return before.answer;
        const answer = count(zone, now);
        kept.set(zone, { atUs: now, answer });
        // what failed is asked again
        answer.catch(() => kept.delete(zone));
        return answer;
      },
    }),
  ];
};
