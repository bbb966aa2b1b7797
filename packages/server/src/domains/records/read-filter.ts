import { isZone } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import type { Actor } from "../../kernel/actor.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError, filterError } from "../../kernel/http/errors.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Ask } from "./questions.js";
import { resolveAfters } from "./resolve-after.js";
import { resolveNew } from "./resolve-new.js";
import { resolvePlaces } from "./resolve-places.js";
import { savedFiltersFor } from "./saved-filters/repository.js";
import { searchedWindow } from "./searched-window.js";

/** What reading a filter takes. */
interface Needs {
  readonly config: Config;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly ask: Ask;
}

/** What is asked: a filter as someone wrote it, within a window. */
export interface FilterAsked {
  readonly filter: string;
  readonly zone?: string | undefined;
  readonly from?: string | undefined;
  readonly to?: string | undefined;
}

export interface FilterRead {
  /** Decided record by record. */
  readonly filter: Filter;
  /** As it was written: what came after something is still a question. */
  readonly written: Filter;
  /** The senders it was read against. */
  readonly senders: SenderDirectory;
}

/** A filter as someone wrote it, with the saved filters they may use. */
export async function parseAsked(
  { db, directory, config }: Pick<Needs, "db" | "directory" | "config">,
  actor: Actor,
  asked: Pick<FilterAsked, "filter" | "zone">,
): Promise<Pick<FilterRead, "written" | "senders">> {
  const zone = asked.zone ?? config.HALVIK_ZONE;
  if (!isZone(zone)) throw new AppError("BAD_REQUEST", `zone: "${zone}" is no IANA zone`, { field: "zone" });
  const senders = await directory.get();
  const saved = asked.filter.includes("filter") ? await savedFiltersFor(db, actor.name) : [];
  const parsed = parseFilter(asked.filter, { zone, directory: senders, saved, allowsAfter: true });
  if (!parsed.ok) throw filterError(parsed.error);
  return { written: parsed.filter, senders };
}

/** The same to be decided record by record: what came after something, what is new and what stands in places is looked up within the window. */
export async function readFilter(deps: Needs, actor: Actor, asked: FilterAsked, nowUs: number): Promise<FilterRead> {
  const { written, senders } = await parseAsked(deps, actor, asked);
  const { db, ask } = deps;
  const window = searchedWindow(asked, written, nowUs);
  const filter = await resolveAfters(
    ask,
    await resolvePlaces(db, await resolveNew(db, written, window), senders),
    window,
    senders,
    nowUs,
  );
  return { filter, written, senders };
}
