import { isZone } from "@halvik/core/base/time";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import type { Deps } from "../../edges/http/deps.js";
import { AppError, filterError } from "../../edges/http/errors.js";
import type { Actor } from "../people/people.js";
import { savedFiltersFor } from "./saved-filters/repository.js";

/** A filter as someone wrote it, with the senders it was read against and the saved filters they may use. */
export async function readFilter(
  { db, directory, config }: Pick<Deps, "db" | "directory" | "config">,
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
