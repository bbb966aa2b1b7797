import { statfs } from "node:fs/promises";
import { Capacity, CapacityQuery } from "@halvik/contract/capacity";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Pool } from "../../kernel/db/pool.js";
import { route } from "../../kernel/http/route.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { capacity } from "./capacity.js";

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly config: Config;
}

/** What arrives, what it takes, and when the disk is full. */
export const capacityRoutes = ({ db, directory, config }: Needs) => [
  route({
    method: "get",
    path: "/capacity",
    summary:
      "Records and octets a day by kind, sender and site, and when the disk is full: as set, and with other days or further devices",
    access: "read",
    query: CapacityQuery,
    answer: Capacity,
    handle: async ({ query }) => {
      const disk = await statfs(config.HALVIK_DATA_DIR);
      return capacity(
        db,
        await directory.get(),
        {
          records: config.HALVIK_KEEP_RECORDS_DAYS,
          flows: config.HALVIK_KEEP_FLOWS_DAYS,
          byKind: config.HALVIK_KEEP_KINDS,
        },
        {
          bytes: disk.blocks * disk.bsize,
          free: disk.bavail * disk.bsize,
          shed: config.HALVIK_DISK_SHED_BYTES,
        },
        query,
        nowUs(),
      );
    },
  }),
];
