import { EntityId } from "@halvik/contract/common";
import { ForwardChange, ForwardList, NewForward } from "@halvik/contract/forwarding";
import { formatUs } from "@halvik/core/base/time";
import { type Forward, sayWay } from "@halvik/core/forward";
import { parseFilter } from "@halvik/core/query/filter";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { type Act, inAct } from "../../kernel/db/unit-of-work.js";
import { AppError, filterError, naming } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import {
  addForward,
  changeForward,
  choiceOf,
  forwardStates,
  loadForwards,
  removeForward,
  rulesByForward,
} from "./repository.js";

const MOST_FORWARDS = 20;
const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly directory: DirectoryCache;
}

/** What is passed on to other collectors, and what becomes of it. */
export const forwardRoutes = ({ models, db, directory }: Needs) => {
  const list = async (): Promise<z.infer<typeof ForwardList>> => {
    const now = nowUs();
    const senders = await directory.get();
    const states = await forwardStates(db);
    const rules = await rulesByForward(db);
    return {
      forwards: (await loadForwards(db)).map(({ changedUs, ...f }) => {
        const state = states.get(f.id);
        return {
          ...f,
          says: sayWay(f.forward.way),
          broken: choiceOf(f.forward, senders, now).broken,
          changed: formatUs(changedUs),
          state: f.enabled ? (state?.state ?? "waiting") : ("stopped" as const),
          detail: state?.detail ?? "",
          queuedBytes: state?.queuedBytes ?? 0,
          oldest: state?.oldestUs == null ? null : formatUs(state.oldestUs),
          sent: state?.sent ?? 0,
          refused: state?.refused ?? 0,
          lost: state?.lost ?? 0,
          last: state?.lastUs == null ? null : formatUs(state.lastUs),
          rules: [...(rules.get(f.id) ?? [])],
        };
      }),
    };
  };
  const change = async (who: string, work: (act: Act) => Promise<void>) => {
    await naming("forward", () => inAct(models, who, work));
    return list();
  };
  const check = async ({ filter }: Forward): Promise<void> => {
    const parsed = parseFilter(filter, { zone: "UTC", directory: await directory.get() });
    if (!parsed.ok) throw filterError(parsed.error);
  };
  return [
    route({
      method: "get",
      path: "/forwards",
      summary: "What is passed on to other collectors, and what became of it",
      access: "read",
      answer: ForwardList,
      handle: list,
    }),
    route({
      method: "post",
      path: "/forwards",
      summary: "Passes on what a filter chooses, or what rules of arrival send there; from now on",
      access: "act",
      body: NewForward,
      answer: ForwardList,
      handle: async ({ body, actor }) => {
        await check(body.forward);
        return change(actor.name, async (act) => {
          if ((await loadForwards(act.db)).length >= MOST_FORWARDS)
            throw new AppError("CONFLICT", `there are ${MOST_FORWARDS} forwards already`);
          const id = await addForward(act.db, body.forward, body.secret ?? "", act.who, act.atUs);
          await act.audit("forward added", { id, ...body.forward });
        });
      },
    }),
    route({
      method: "patch",
      path: "/forwards/{id}",
      summary: "Changes, stops or starts a forward; what is queued stays queued",
      access: "act",
      params,
      body: ForwardChange,
      answer: ForwardList,
      handle: async ({ params: p, body, actor }) => {
        if (body.forward !== undefined) await check(body.forward);
        const { secret, ...said } = body;
        return change(actor.name, async (act) => {
          const known = await changeForward(
            act.db,
            p.id,
            {
              ...(said.forward === undefined ? {} : { forward: said.forward }),
              ...(said.enabled === undefined ? {} : { enabled: said.enabled }),
              ...(secret === undefined ? {} : { secret }),
            },
            act.who,
            act.atUs,
          );
          if (!known) throw new AppError("NOT_FOUND", `there is no forward ${p.id}`);
          await act.audit("forward changed", { id: p.id, ...said, ...(secret === undefined ? {} : { secret: "set" }) });
        });
      },
    }),
    route({
      method: "delete",
      path: "/forwards/{id}",
      summary: "Takes a forward away, and what is queued for it",
      access: "act",
      params,
      answer: ForwardList,
      handle: ({ params: p, actor }) =>
        change(actor.name, async (act) => {
          const [user] = (await rulesByForward(act.db)).get(p.id) ?? [];
          if (user !== undefined)
            throw new AppError("CONFLICT", `the rule of arrival “${user}” passes on by it: change that first`);
          const name = await removeForward(act.db, p.id);
          if (name === null) throw new AppError("NOT_FOUND", `there is no forward ${p.id}`);
          await act.audit("forward removed", { id: p.id, name });
        }),
    }),
  ];
};
