import { Overview, OverviewQuery } from "@halvik/contract/overview";
import { isZone } from "@halvik/core/base/time";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { KeptOverview } from "./kept-overview.js";

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly nights: KeptOverview;
}

export const overviewRoutes = ({ config, nights }: Needs) => [
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
      return nights.of(zone, nowUs());
    },
  }),
];
