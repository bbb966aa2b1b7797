import { randomUUID } from "node:crypto";
import { createWriteStream, mkdirSync, readdirSync, statSync } from "node:fs";
import { statfs, unlink } from "node:fs/promises";
import { join } from "node:path";
import { pipeline } from "node:stream/promises";
import { EntityId } from "@halvik/contract/common";
import { ImportList } from "@halvik/contract/kinds";
import { canonicalAddress } from "@halvik/core/base/net";
import { formatUs } from "@halvik/core/base/time";
import * as z from "zod";
import type { Config } from "../../../kernel/config/config.js";
import { uploadsDir } from "../../../kernel/config/data-dir.js";
import type { Models } from "../../../kernel/db/models.js";
import type { Pool } from "../../../kernel/db/pool.js";
import { inAct } from "../../../kernel/db/unit-of-work.js";
import { AppError } from "../../../kernel/http/errors.js";
import { readFileName } from "../../../kernel/http/file-name.js";
import { route } from "../../../kernel/http/route.js";
import { addUpload, cancelJob, latestJobs } from "./repository.js";

const MAX_UPLOAD_BYTES = 4 * 1024 * 1024 * 1024;
/** Uploaded files that wait, all together. */
const MAX_WAITING_BYTES = 8 * 1024 * 1024 * 1024;
const MAX_WAITING_FILES = 100;
const SHOWN = 20;

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly config: Config;
}

/** Files brought by hand: they wait in the data directory until the collector has read them in. */
export const importRoutes = ({ models, db, config }: Needs) => {
  const list = async () => ({
    imports: (await latestJobs(db, SHOWN)).map(({ startedUs, ...r }) => ({ ...r, started: formatUs(startedUs) })),
  });
  return [
    route({
      method: "get",
      path: "/imports",
      summary: "The last imports, with progress and receipt",
      access: "read",
      answer: ImportList,
      handle: list,
    }),
    route({
      method: "post",
      path: "/imports",
      summary:
        "Takes a file (the request's body, as application/octet-stream) and reads it in: capture, text, event XML, JSON or table, gzip or not",
      access: "act",
      query: z.object({
        name: z.string().min(1).max(200),
        peer: z.string().max(64).optional(),
        meter: z.stringbool().default(false),
      }),
      answer: ImportList,
      handle: async ({ query, req, actor }) => {
        const peer = query.peer ? canonicalAddress(query.peer) : null;
        if (query.peer && peer === null)
          throw new AppError("BAD_REQUEST", `peer: expected the sender's address, got “${query.peer}”`, {
            field: "peer",
          });
        if (query.meter && peer === null)
          throw new AppError("BAD_REQUEST", "peer: packets do not say who captured them: its address is needed", {
            field: "peer",
          });
        const name = readFileName(query.name);
        const dir = uploadsDir(config.HALVIK_DATA_DIR);
        mkdirSync(dir, { recursive: true, mode: 0o700 });
        const waiting = readdirSync(dir).map((f) => statSync(join(dir, f), { throwIfNoEntry: false })?.size ?? 0);
        const { bavail, bsize } = await statfs(dir);
        const room = Math.min(
          MAX_WAITING_BYTES - waiting.reduce((a, b) => a + b, 0),
          bavail * bsize - config.HALVIK_DISK_LOW_BYTES / 2,
        );
        if (waiting.length >= MAX_WAITING_FILES || room <= 0)
          throw new AppError(
            "CONFLICT",
            `${waiting.length} uploaded files wait to be read, or the disk is nearly full: try again when some are done`,
          );
        // the name that came is for people; the file has one of ours
        const file = join(dir, randomUUID());
        let bytes = 0;
        try {
          await pipeline(
            req,
            async function* (source: AsyncIterable<Buffer>) {
              for await (const chunk of source) {
                bytes += chunk.length;
                if (bytes > room) throw new AppError("CONFLICT", "there is no more room for uploaded files now");
                if (bytes > MAX_UPLOAD_BYTES)
                  throw new AppError("BAD_REQUEST", "the file is larger than 4 GiB: use bin/halvik import");
                yield chunk;
              }
            },
            // the collector's user reads it: the directory gives it that group
            createWriteStream(file, { mode: 0o640 }),
          );
          if (bytes === 0)
            throw new AppError("BAD_REQUEST", "the file is empty: send it as the body, as application/octet-stream");
        } catch (e) {
          await unlink(file).catch(() => undefined);
          throw e;
        }
        await inAct(models, actor.name, async (act) => {
          await addUpload(act.db, name, file, { peer, metered: query.meter }, act.atUs);
          await act.audit("file uploaded", { name: query.name, bytes });
        }).catch(async (e: unknown) => {
          await unlink(file).catch(() => undefined);
          throw e;
        });
        return list();
      },
    }),
    route({
      method: "post",
      path: "/imports/{id}/cancel",
      summary: "Calls an import off; what is stored by then stays",
      access: "act",
      params: z.object({ id: EntityId }),
      answer: ImportList,
      handle: async ({ params: { id }, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if (!(await cancelJob(act.db, id))) throw new AppError("NOT_FOUND", `import ${id} does not run`);
          await act.audit("import cancelled", { id });
        });
        return list();
      },
    }),
  ];
};
