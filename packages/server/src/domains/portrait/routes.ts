import { EntityId } from "@halvik/contract/common";
import {
  Portrait,
  PortraitNews,
  PortraitQuery,
  PortraitTraffic,
  PortraitTrafficQuery,
} from "@halvik/contract/portrait";
import { SenderNumbers } from "@halvik/contract/senders";
import { US_PER_DAY } from "@halvik/core/base/time";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Pool } from "../../kernel/db/pool.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { readWindow } from "../../kernel/http/window.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Ask } from "../records/questions.js";
import { boundTo } from "./bindings-repository.js";
import { newsOf } from "./news.js";
import { addressesIn, type PortraitNeeds, portraitOf } from "./portrait.js";
import { senderNumbers } from "./sender-numbers.js";
import { type PortraitAsked, subjectOf } from "./subject.js";
import { trafficOf } from "./traffic.js";

/** What these routes work with. */
interface Needs {
  readonly db: Pool;
  readonly directory: DirectoryCache;
  /** Who answers questions about a filter. */
  readonly ask: Ask;
}

/** Addresses a thing may have at most: of more, its traffic is not asked for. */
const MOST_ADDRESSES = 100;

/** Everything there is about one address, machine, user or interface. */
export const portraitRoutes = ({ db, directory, ask }: Needs) => {
  const asked = async (query: PortraitAsked & { from?: string | undefined; to?: string | undefined }) => {
    const now = nowUs();
    const needs: PortraitNeeds = { db, ask, directory: await directory.get(), nowUs: now };
    return { needs, subject: subjectOf(query, needs.directory), window: readWindow(query, now) };
  };
  return [
    route({
      method: "get",
      path: "/senders/{id}/numbers",
      summary: "What the numbers a sender gives its own messages say: which of the last day never came",
      access: "read",
      params: z.object({ id: EntityId }),
      answer: SenderNumbers,
      handle: async ({ params: { id } }) => {
        const senders = await directory.get();
        const sender = senders.get(id);
        if (sender === undefined) throw new AppError("NOT_FOUND", `there is no sender ${id}`);
        const now = nowUs();
        return senderNumbers(ask, senders, sender.name, { fromUs: now - US_PER_DAY, toUs: now }, now);
      },
    }),
    route({
      method: "get",
      path: "/portrait",
      summary: "What an address, a machine, a user or an interface is, and what records say of it in a window",
      access: "read",
      query: PortraitQuery,
      answer: Portrait,
      handle: async ({ query }) => {
        const { needs, subject, window } = await asked(query);
        return portraitOf(needs, subject, window);
      },
    }),
    route({
      method: "get",
      path: "/portrait/news",
      summary: "What is new about it against the seven days before the window",
      access: "read",
      query: PortraitQuery,
      answer: PortraitNews,
      handle: async ({ query }) => {
        const { needs, subject, window } = await asked(query);
        return newsOf(needs, subject, window);
      },
    }),
    route({
      method: "get",
      path: "/portrait/traffic",
      summary: "What flows show of its addresses: with whom, by what, in which direction, over time",
      access: "read",
      query: PortraitTrafficQuery,
      answer: PortraitTraffic,
      handle: async ({ query }) => {
        const { needs, subject, window } = await asked(query);
        const bound = await boundTo(db, subject.things, window.fromUs, window.toUs);
        const addresses = [...addressesIn(subject, bound, window)];
        if (addresses.length === 0)
          throw new AppError("NOT_FOUND", `no address of it is known in this window`, { field: "value" });
        return trafficOf(needs, addresses.slice(0, MOST_ADDRESSES), window, query.patience * 1_000);
      },
    }),
  ];
};
