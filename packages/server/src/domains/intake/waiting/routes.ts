import { EntityId } from "@halvik/contract/common";
import { HeldSummary } from "@halvik/contract/senders";
import * as z from "zod";
import type { Pool } from "../../../kernel/db/pool.js";
import { AppError } from "../../../kernel/http/errors.js";
import { route } from "../../../kernel/http/route.js";
import type { Presenter } from "../../names/presenter.js";
import type { DirectoryCache } from "../senders/directory-cache.js";
import { heldOf } from "./held.js";

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
}

/** What waiting senders have sent. */
export const waitingRoutes = ({ db, directory, presenter }: Needs) => [
  route({
    method: "get",
    path: "/senders/{id}/held",
    summary: "What a waiting sender has sent, read as it would be stored, and what it probably is",
    access: "read",
    params: z.object({ id: EntityId }),
    answer: HeldSummary,
    handle: async ({ params: p }) => {
      const senders = await directory.get();
      if (senders.get(p.id) === undefined) throw new AppError("NOT_FOUND", `there is no sender ${p.id}`);
      return heldOf(db, p.id, senders, presenter);
    },
  }),
];
