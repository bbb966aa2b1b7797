import { EntityId } from "@halvik/contract/common";
import {
  AdmitNetwork,
  AdmitSender,
  RefuseNetwork,
  SenderChange,
  SenderCounter,
  SenderList,
  SenderPortrait,
} from "@halvik/contract/senders";
import { formatUs } from "@halvik/core/base/time";
import * as z from "zod";
import { nowUs } from "../../../kernel/clock.js";
import type { Config } from "../../../kernel/config/config.js";
import type { Models } from "../../../kernel/db/models.js";
import type { Pool } from "../../../kernel/db/pool.js";
import { inAct, type ModelAct } from "../../../kernel/db/unit-of-work.js";
import { AppError } from "../../../kernel/http/errors.js";
import { route } from "../../../kernel/http/route.js";
import {
  admitNetwork,
  admitSenders,
  changeSender,
  refuseNetwork,
  refuseSender,
  SenderConflict,
} from "./changes-repository.js";
import { checkKeepDays } from "./check-keep-days.js";
import { exportSenders } from "./csv.js";
import type { DirectoryCache } from "./directory-cache.js";
import { forgetCounters, noteCounter } from "./portrait-repository.js";
import { admittedNetworks, removeAdmittedNetwork } from "./repository.js";
import { senderPortrait } from "./sender-portrait.js";
import { senderStatus, unlistedSenders } from "./status-repository.js";

const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly config: Config;
}

export const senderRoutes = ({ models, db, directory, config }: Needs) => {
  const list = async () => {
    return {
      senders: await senderStatus(db, await directory.get()),
      networks: (await admittedNetworks(db)).map(({ sinceUs, ...n }) => ({ ...n, since: formatUs(sinceUs) })),
      unlisted: await unlistedSenders(db),
    };
  };
  const portrait = async (id: number, who: string): Promise<SenderPortrait> => {
    const found = await senderPortrait(db, await directory.get(), id, who, nowUs());
    if (found === null) throw new AppError("NOT_FOUND", `there is no sender ${id}`);
    return found;
  };
  return [
    route({
      method: "get",
      path: "/senders",
      summary: "Every sender: facts, counts, clock, silence",
      access: "read",
      answer: SenderList,
      handle: list,
    }),
    route({
      method: "get",
      path: "/senders.csv",
      summary: "The senders' facts as CSV, fit for `bin/halvik senders import`",
      access: "read",
      answer: { type: "text/csv" },
      handle: async ({ res }) => {
        res
          .type("text/csv")
          .attachment("senders.csv")
          .send(exportSenders((await directory.get()).senders));
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/senders/{id}/admit",
      summary: "Admits a waiting sender; what was held for it is stored",
      access: "act",
      params,
      body: AdmitSender,
      answer: SenderList,
      handle: async ({ params: p, body, actor }) => {
        await within(models, actor.name, async (act) => {
          if (Object.keys(body).length > 0) await changeSender(act, p.id, body);
          if ((await admitSenders(act.db, [p.id])) === 0) throw new AppError("NOT_FOUND", `there is no sender ${p.id}`);
          await act.audit("sender admitted", { sender: p.id });
        });
        return list();
      },
    }),
    route({
      method: "post",
      path: "/senders/{id}/refuse",
      summary: "Refuses a sender: what it sends is counted and not kept, what was held is forgotten",
      access: "act",
      params,
      answer: SenderList,
      handle: async ({ params: p, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if ((await refuseSender(act.db, p.id)) === 0) throw new AppError("NOT_FOUND", `there is no sender ${p.id}`);
          await act.audit("sender refused", { sender: p.id });
        });
        return list();
      },
    }),
    route({
      method: "post",
      path: "/senders/admit-network",
      summary: "Admits the waiting senders of a block, and those that appear later if asked",
      access: "act",
      body: AdmitNetwork,
      answer: SenderList,
      handle: async ({ body, actor }) => {
        await inAct(models, actor.name, async (act) => {
          await admitNetwork(act.db, body.network, body.fromNowOn, act.who, act.atUs);
          await act.audit("network admitted", body);
        });
        return list();
      },
    }),
    route({
      method: "delete",
      path: "/senders/networks/{id}",
      summary:
        "Takes back that senders of a block are admitted when they are first heard; those that are stay admitted",
      access: "act",
      params,
      answer: SenderList,
      handle: async ({ params: p, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const network = await removeAdmittedNetwork(act.db, p.id);
          if (network === null) throw new AppError("NOT_FOUND", `there is no rule of admission ${p.id}`);
          await act.audit("network no longer admitted", { network });
        });
        return list();
      },
    }),
    route({
      method: "get",
      path: "/senders/{id}",
      summary:
        "One sender: what it sends against usual, what was lost or could not be read, what names it, its own counter",
      access: "read",
      params,
      answer: SenderPortrait,
      handle: ({ params: p, actor }) => portrait(p.id, actor.name),
    }),
    route({
      method: "post",
      path: "/senders/{id}/counter",
      summary: "Notes what a sender's own counter of messages says, beside what was received from it",
      access: "act",
      params,
      body: SenderCounter,
      answer: SenderPortrait,
      handle: async ({ params: p, body, actor }) => {
        await portrait(p.id, actor.name);
        await inAct(models, actor.name, async (act) => {
          await noteCounter(act.db, p.id, body.count, act.who, act.atUs);
          await act.audit("sender's counter noted", { sender: p.id, count: body.count });
        });
        return portrait(p.id, actor.name);
      },
    }),
    route({
      method: "delete",
      path: "/senders/{id}/counter",
      summary: "Forgets what a sender's own counter said: it begins anew",
      access: "act",
      params,
      answer: SenderPortrait,
      handle: async ({ params: p, actor }) => {
        await inAct(models, actor.name, async (act) => {
          await forgetCounters(act.db, p.id);
          await act.audit("sender's counter forgotten", { sender: p.id });
        });
        return portrait(p.id, actor.name);
      },
    }),
    route({
      method: "post",
      path: "/senders/refuse-network",
      summary: "Refuses the waiting senders of a block; what was held for them is forgotten",
      access: "act",
      body: RefuseNetwork,
      answer: SenderList,
      handle: async ({ body, actor }) => {
        await inAct(models, actor.name, async (act) => {
          const refused = await refuseNetwork(act.db, body.network);
          await act.audit("network refused", { ...body, refused });
        });
        return list();
      },
    }),
    route({
      method: "patch",
      path: "/senders/{id}",
      summary: "Changes facts of a sender",
      access: "act",
      params,
      body: SenderChange,
      answer: SenderList,
      handle: async ({ params: p, body, actor }) => {
        await within(models, actor.name, async (act) => {
          await checkKeepDays(act.db, body.keepDays, config.HALVIK_KEEP_KINDS);
          if (!(await changeSender(act, p.id, body))) throw new AppError("NOT_FOUND", `there is no sender ${p.id}`);
        });
        return list();
      },
    }),
  ];
};

/** An act on senders; what contradicts others is said so. */
async function within(models: Models, who: string, work: (act: ModelAct) => Promise<void>): Promise<void> {
  try {
    await inAct(models, who, work);
  } catch (e) {
    if (e instanceof SenderConflict) throw new AppError("CONFLICT", e.message);
    throw e;
  }
}
