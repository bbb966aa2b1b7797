import { AroundAnswer, AroundParams, AroundQuery } from "@halvik/contract/around";
import { US_PER_MS } from "@halvik/core/base/time";
import type { HalvikRecord } from "@halvik/core/model/record";
import { correctedTime, isOrderUncertain } from "@halvik/core/model/senders";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { findRecord } from "../../store/find-records.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { heardBefore } from "../intake/senders/repository.js";
import type { Presenter } from "../names/presenter.js";
import type { Ask } from "../records/questions.js";
import { readFilter } from "../records/read-filter.js";
import { bothParts, nearest, partOf, waysAround } from "./around.js";
import { fileOffsets, type OffsetOf } from "./file-offsets.js";

/** What these routes work with. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly ask: Ask;
}

export const aroundRoutes = (deps: Needs) => [
  route({
    method: "get",
    alsoPost: true,
    path: "/records/{id}/around",
    summary: "What else happened around a record, the nearest first, by what they have in common",
    access: "read",
    params: AroundParams,
    query: AroundQuery,
    answer: AroundAnswer,
    handle: async ({ params, query, actor }) => {
      const { db, ask, presenter } = deps;
      const found = await findRecord(db, params.id);
      if (!found) throw new AppError("NOT_FOUND", `record ${params.id} is not stored (any more)`);
      const { record } = found;
      const now = nowUs();
      const { filter, senders } = await readFilter(deps, actor, query, now);
      const part = await partOf(db, query.by, record, senders);
      if (part === null)
        throw new AppError("BAD_REQUEST", `by: the record has no ${query.by} others could share`, { field: "by" });
      const { records, partial } = await nearest(ask, bothParts(part, filter, senders), record, query.count, now);
      const present = await presenter.present(senders);
      const offsets = new Map((await heardBefore(db)).map((a) => [a.sender, a.clockOffsetUs]));
      const ofFile: OffsetOf = query.corrected === "true" ? await fileOffsets(deps, record, now) : () => null;
      const corrected = (r: HalvikRecord) => correctedTime(r, offsets.get(r.sender) ?? null, ofFile(r));
      const own = corrected(record);
      const lines = records.map((r) => {
        const its = corrected(r);
        return {
          record: present(r),
          afterMs: (r.timeUs - record.timeUs) / US_PER_MS,
          correctedAfterMs: (its.us - own.us) / US_PER_MS,
          isUncertain: isOrderUncertain(own, its),
        };
      });
      if (query.corrected === "true") lines.sort((a, b) => Math.abs(a.correctedAfterMs) - Math.abs(b.correctedAfterMs));
      return {
        records: lines,
        part,
        by: await waysAround(db, record, senders),
        partial,
      };
    },
  }),
];
