import type { Queryable } from "../../kernel/db/pool.js";
import type { TrafficSource } from "../../store/traffic/read-sums.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import { knownInterfaces } from "./interfaces-repository.js";
import { placesOf } from "./places.js";

interface Needs {
  readonly db: Queryable;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
}

/** What the interfaces of exporters are called, as told by people, options data, counters or notifications. */
export async function namesOfInterfaces(
  { db, directory, presenter }: Needs,
  sources: readonly TrafficSource[],
): Promise<(exporter: number, index: number) => string> {
  const known = placesOf(sources, await knownInterfaces(db), await directory.get(), await presenter.names());
  return (exporter, index) =>
    known.exporters.find((e) => e.id === exporter)?.interfaces.find((i) => i.index === index)?.name ??
    `interface ${index}`;
}
