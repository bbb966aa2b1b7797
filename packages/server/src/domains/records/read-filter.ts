import { isZone } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import type { Actor } from "../../kernel/actor.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError, filterError } from "../../kernel/http/errors.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { savedFiltersFor } from "./saved-filters/repository.js";

/** What reading a filter takes. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
}

/** A filter as someone wrote it, with the senders it was read against and the saved filters they may use. */
export async function readFilter(
  { db, directory, config }: Needs,
  actor: Actor,
  asked: { readonly filter: string; readonly zone?: string | undefined },
): Promise<{ filter: Filter; senders: SenderDirectory }> {
  const zone = asked.zone ?? config.HALVIK_ZONE;
  if (!isZone(zone)) throw new AppError("BAD_REQUEST", `zone: "${zone}" is no IANA zone`, { field: "zone" });
  const senders = await directory.get();
  const saved = asked.filter.includes("filter") ? await savedFiltersFor(db, actor.name) : [];
  const parsed = parseFilter(asked.filter, { zone, directory: senders, saved });
  if (!parsed.ok) throw filterError(parsed.error);
  return { filter: parsed.filter, senders };
}
