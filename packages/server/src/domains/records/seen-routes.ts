import { SeenAnswer, SeenQuery } from "@halvik/contract/seen";
import { canonicalAddress } from "@halvik/core/base/net";
import { formatUs } from "@halvik/core/base/time";
import { quoteIfNeeded } from "@halvik/core/query/filter";
import { nowUs } from "../../kernel/clock.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { sightingOf } from "../../store/sightings.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { ownFilter } from "./own-filter.js";

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
}

export const seenRoutes = ({ db, directory }: Needs) => [
  route({
    method: "get",
    path: "/seen",
    summary: "When a host, user, address, program, event or hash was first and last seen, in all there ever was",
    access: "read",
    query: SeenQuery,
    answer: SeenAnswer,
    handle: async ({ query: { of, value: written } }) => {
      const value = of === "address" ? canonicalAddress(written) : written;
      if (value === null) throw new AppError("BAD_REQUEST", "value: expected an address", { field: "value" });
      const filter = ownFilter(of === "hash" ? `text has ${quoteIfNeeded(value)}` : `${of} is ${quoteIfNeeded(value)}`);
      const seen = await sightingOf(db, of, value, filter, await directory.get(), nowUs());
      const at = (us: number | null) => (us === null ? undefined : formatUs(us));
      return {
        first: at(seen.firstUs),
        last: at(seen.lastUs),
        records: seen.records,
        since: at(seen.sinceUs),
        evicted: seen.evicted,
        evictedBefore: at(seen.evictedBeforeUs),
      };
    },
  }),
];
