import { QuarantineList } from "@halvik/contract/status";
import { formatUs } from "@halvik/core/base/time";
import * as z from "zod";
import type { Models } from "../../../kernel/db/models.js";
import type { Pool } from "../../../kernel/db/pool.js";
import { inAct } from "../../../kernel/db/unit-of-work.js";
import { AppError } from "../../../kernel/http/errors.js";
import { route } from "../../../kernel/http/route.js";
import type { DirectoryCache } from "../senders/directory-cache.js";
import { decideQuarantined, listQuarantined } from "./repository.js";

const params = z.object({ file: z.string().max(100) });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly directory: DirectoryCache;
}

/** What could not be stored or read back: seen, tried again, given up. */
export const quarantineRoutes = ({ models, db, directory }: Needs) => {
  const list = async (): Promise<QuarantineList> => {
    const senders = (await directory.get()).senders;
    return {
      files: (await listQuarantined(db)).flatMap(({ at_us, state, ...row }) =>
        state === "stored"
          ? []
          : [
              {
                ...row,
                state,
                at: formatUs(at_us),
                sender: senders.find((s) => s.addresses.includes(row.peer))?.name ?? "",
              },
            ],
      ),
    };
  };
  const decision = (path: "again" | "give-up", state: "again" | "given up", summary: string) =>
    route({
      method: "post",
      path: `/quarantine/{file}/${path}`,
      summary,
      access: "act",
      params,
      answer: QuarantineList,
      handle: async ({ params: { file }, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if (!(await decideQuarantined(act.db, file, state)))
            throw new AppError(
              "NOT_FOUND",
              "there is no such file that waits, or it holds nothing that could be stored",
            );
          await act.audit(state === "again" ? "quarantine tried again" : "quarantine given up", { file });
        });
        return list();
      },
    });
  return [
    route({
      method: "get",
      path: "/quarantine",
      summary: "What could not be stored or read back, with the reason",
      access: "read",
      answer: QuarantineList,
      handle: list,
    }),
    decision("again", "again", "Tries to store it again"),
    decision("give-up", "given up", "Forgets it"),
  ];
};
