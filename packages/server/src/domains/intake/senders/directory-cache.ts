import { OwnNames } from "@halvik/core/model/entity";
import { NotificationNames } from "@halvik/core/model/notifications";
import { SenderDirectory } from "@halvik/core/model/senders";
import { nowUs } from "../../../kernel/clock.js";
import type { Queryable } from "../../../kernel/db/pool.js";
import { mergedShapes } from "../../../store/shapes.js";
import { namedLists } from "../../lists/repository.js";
import { listDomains } from "../../names/domains-repository.js";
import { loadMibNames } from "../../names/mibs.js";
import { directoryVersion, kindsVersion, loadOwnNames } from "../../names/repository.js";
import { loadSenders } from "./repository.js";

/** What names in filters stand for, as it is now. */
export const loadDirectory = async (db: Queryable, zone: string): Promise<SenderDirectory> =>
  new SenderDirectory(
    await loadSenders(db, zone),
    await loadOwnNames(db),
    await notificationNames(db),
    new OwnNames((await listDomains(db)).map((d) => d.domain)),
    await namedLists(db, nowUs()),
    await mergedShapes(db),
  );

/** Modules take long to read and change seldom. */
const read = new WeakMap<Queryable, { readonly version: number; readonly names: NotificationNames }>();

async function notificationNames(db: Queryable): Promise<NotificationNames> {
  const version = await kindsVersion(db);
  const before = read.get(db);
  if (before?.version === version) return before.names;
  const mibs = await loadMibNames(db);
  const names = new NotificationNames(mibs.notifications(), mibs.objects());
  read.set(db, { version, names });
  return names;
}

/** The directory, read again when what it was made from has changed. */
export class DirectoryCache {
  private cached: { version: string; directory: SenderDirectory } | null = null;

  constructor(
    private readonly db: Queryable,
    private readonly zone: string,
  ) {}

  async get(): Promise<SenderDirectory> {
    const version = await directoryVersion(this.db, nowUs());
    if (this.cached?.version !== version) this.cached = { version, directory: await loadDirectory(this.db, this.zone) };
    return this.cached.directory;
  }
}
