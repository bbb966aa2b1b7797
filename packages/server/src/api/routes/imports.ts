import { randomUUID } from "node:crypto";
import { createWriteStream, mkdirSync } from "node:fs";
import { unlink } from "node:fs/promises";
import { basename, join } from "node:path";
import { pipeline } from "node:stream/promises";
import { EntityId, ImportList } from "@halvik/core/contract";
import { canonicalAddress } from "@halvik/core/net";
import { formatUs } from "@halvik/core/time";
import { z } from "zod";
import { audit } from "../../access/people.js";
import { nowUs } from "../../config/clock.js";
import type { Deps } from "../deps.js";
import { AppError } from "../errors.js";
import { route } from "../route.js";

const MAX_UPLOAD_BYTES = 4 * 1024 * 1024 * 1024;
const SHOWN = 20;

/** Files brought by hand: they wait in the data directory until the engine has read them in. */
export const importRoutes = ({ db, config }: Deps) => {
  const list = async () => {
    const { rows } = await db.query<{
      id: number;
      name: string;
      state: string;
      done: number;
      message: string;
      started_us: number;
    }>("select id, name, state, done, message, started_us from job order by id desc limit $1", [SHOWN]);
    return { imports: rows.map(({ started_us, ...r }) => ({ ...r, started: formatUs(started_us) })) };
  };
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
      query: z.object({ name: z.string().min(1).max(200), peer: z.string().max(64).optional() }),
      answer: ImportList,
      handle: async ({ query, req, actor }) => {
        const peer = query.peer ? canonicalAddress(query.peer) : null;
        if (query.peer && peer === null)
          throw new AppError("BAD_REQUEST", `peer: expected the sender's address, got “${query.peer}”`, {
            field: "peer",
          });
        const dir = join(config.HALVIK_DATA_DIR, "uploads");
        mkdirSync(dir, { recursive: true, mode: 0o700 });
        // the name that came is for people; the file has one of ours
        const file = join(dir, randomUUID());
        let bytes = 0;
        try {
          await pipeline(
            req,
            async function* (source: AsyncIterable<Buffer>) {
              for await (const chunk of source) {
                bytes += chunk.length;
                if (bytes > MAX_UPLOAD_BYTES)
                  throw new AppError("BAD_REQUEST", "the file is larger than 4 GiB: use bin/halvik import");
                yield chunk;
              }
            },
            createWriteStream(file, { mode: 0o600 }),
          );
          if (bytes === 0)
            throw new AppError("BAD_REQUEST", "the file is empty: send it as the body, as application/octet-stream");
        } catch (e) {
          await unlink(file).catch(() => undefined);
          throw e;
        }
        const now = nowUs();
        await db.query(
          "insert into job (name, state, total, unit, started_us, updated_us, file, peer) values ($1, 'waiting', null, 'records', $2, $2, $3, $4)",
          [basename(query.name), now, file, peer],
        );
        await audit(actor.name, "file uploaded", { name: query.name, bytes });
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
        const { rowCount } = await db.query(
          "update job set state = 'cancelling' where id = $1 and state in ('waiting', 'running')",
          [id],
        );
        if (rowCount === 0) throw new AppError("NOT_FOUND", `import ${id} does not run`);
        await audit(actor.name, "import cancelled", { id });
        return list();
      },
    }),
  ];
};
