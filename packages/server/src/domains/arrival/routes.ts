import { ArrivalPreview, ArrivalRuleChange, ArrivalRuleList, ArrivalRuleOrder } from "@halvik/contract/arrival";
import { EntityId } from "@halvik/contract/common";
import { ArrivalRule, readArrivalFilter, sayArrivalRule } from "@halvik/core/arrive";
import { formatUs } from "@halvik/core/base/time";
import { KEEP_DAYS, type SenderDirectory } from "@halvik/core/model/senders";
import type { Filter } from "@halvik/core/query/filter";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool, Queryable } from "../../kernel/db/pool.js";
import { type Act, inAct } from "../../kernel/db/unit-of-work.js";
import { AppError, filterError, naming } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { daysInUse, MOST_CLASSES } from "../../store/keep-days.js";
import { loadForwards } from "../forwarding/repository.js";
import { checkKeepDays } from "../intake/senders/check-keep-days.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import type { Presenter } from "../names/presenter.js";
import type { Ask } from "../records/questions.js";
import { previewRule } from "./preview.js";
import {
  addArrivalRule,
  arrivalUses,
  changeArrivalRule,
  droppedSamples,
  loadArrivalRules,
  orderArrivalRules,
  readyRules,
  removeArrivalRule,
} from "./repository.js";

const MOST_RULES = 100;
const SAMPLES_SHOWN = 5;
const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
  readonly ask: Ask;
  readonly config: Config;
}

/** Rules that decide about records before they are stored. */
export const arrivalRoutes = ({ models, db, directory, presenter, ask, config }: Needs) => {
  const list = async (): Promise<z.infer<typeof ArrivalRuleList>> => {
    const now = nowUs();
    const senders = await directory.get();
    const rules = await loadArrivalRules(db);
    const { broken } = readyRules(rules, senders);
    const uses = new Map((await arrivalUses(db, now)).map((u) => [u.rule, u]));
    const samples = await droppedSamples(db);
    const used = await daysInUse(db, config.HALVIK_KEEP_KINDS);
    const names = await forwardNames();
    return {
      rules: rules.map(({ id, rule, enabled, author, changedUs }) => {
        const use = uses.get(id);
        return {
          id,
          rule,
          enabled,
          says: sayArrivalRule(rule, names),
          broken: broken.find((b) => b.id === id)?.why ?? null,
          author,
          changed: formatUs(changedUs),
          day: use?.day ?? 0,
          week: use?.week ?? 0,
          dropped: use?.dropped ?? 0,
          droppedBytes: use?.bytes ?? 0,
          last: use?.lastHourUs == null ? null : formatUs(use.lastHourUs),
          samples: samples
            .filter((s) => s.rule === id)
            .slice(0, SAMPLES_SHOWN)
            .map((s) => ({ at: formatUs(s.atUs), sender: senders.name(s.sender), text: s.text })),
        };
      }),
      days: KEEP_DAYS.filter((d) => used.has(d) || used.size < MOST_CLASSES),
    };
  };
  const forwardNames = async () => {
    const forwards = await loadForwards(db);
    return (id: number): string => forwards.find((f) => f.id === id)?.forward.name ?? `forward ${id}`;
  };
  const checkForward = async (of: Queryable, { forward }: ArrivalRule): Promise<void> => {
    if (forward !== null && !(await loadForwards(of)).some((f) => f.id === forward))
      throw new AppError("BAD_REQUEST", `there is no forward ${forward}`, { field: "forward" });
  };
  const checkDays = (of: Queryable, rule: ArrivalRule) => checkKeepDays(of, rule.keepDays, config.HALVIK_KEEP_KINDS);
  const change = async (who: string, work: (act: Act) => Promise<void>) => {
    await naming("rule", () => inAct(models, who, work));
    return list();
  };
  return [
    route({
      method: "get",
      path: "/arrival-rules",
      summary: "Rules that decide about records before they are stored, in their order, with what they did",
      access: "read",
      answer: ArrivalRuleList,
      handle: list,
    }),
    route({
      method: "post",
      path: "/arrival-rules/preview",
      summary: "What a rule would have met in the last 24 hours, and what of it mattered to rules of correlation",
      access: "read",
      body: ArrivalRule,
      answer: ArrivalPreview,
      handle: async ({ body }) => {
        const senders = await directory.get();
        const filter = readable(body.filter, senders);
        return previewRule(
          { db, ask, directory: senders, presenter, zone: config.HALVIK_ZONE, forwardName: await forwardNames() },
          body,
          filter,
          nowUs(),
        );
      },
    }),
    route({
      method: "post",
      path: "/arrival-rules",
      summary: "Adds a rule of arrival after all others; from now on",
      access: "act",
      body: ArrivalRule,
      answer: ArrivalRuleList,
      handle: async ({ body, actor }) => {
        readable(body.filter, await directory.get());
        return change(actor.name, async (act) => {
          if ((await loadArrivalRules(act.db)).length >= MOST_RULES)
            throw new AppError("CONFLICT", `there are ${MOST_RULES} rules of arrival already`);
          await checkDays(act.db, body);
          await checkForward(act.db, body);
          const id = await addArrivalRule(act.db, body, act.who, act.atUs);
          await act.audit("rule of arrival added", { id, ...body });
        });
      },
    }),
    route({
      method: "post",
      path: "/arrival-rules/order",
      summary: "Puts the rules of arrival in another order",
      access: "act",
      body: ArrivalRuleOrder,
      answer: ArrivalRuleList,
      handle: ({ body, actor }) =>
        change(actor.name, async (act) => {
          const known = (await loadArrivalRules(act.db)).map((r) => r.id);
          if (body.ids.length !== known.length || !known.every((id) => body.ids.includes(id)))
            throw new AppError("CONFLICT", "the rules have changed meanwhile: look again");
          await orderArrivalRules(act.db, body.ids);
          await act.audit("rules of arrival ordered", { ids: body.ids });
        }),
    }),
    route({
      method: "patch",
      path: "/arrival-rules/{id}",
      summary: "Changes, stops or starts a rule of arrival; from now on",
      access: "act",
      params,
      body: ArrivalRuleChange,
      answer: ArrivalRuleList,
      handle: async ({ params: p, body, actor }) => {
        if (body.rule !== undefined) readable(body.rule.filter, await directory.get());
        return change(actor.name, async (act) => {
          if (body.rule !== undefined) {
            await checkDays(act.db, body.rule);
            await checkForward(act.db, body.rule);
          }
          const known = await changeArrivalRule(
            act.db,
            p.id,
            {
              ...(body.rule === undefined ? {} : { rule: body.rule }),
              ...(body.enabled === undefined ? {} : { enabled: body.enabled }),
            },
            act.who,
            act.atUs,
          );
          if (!known) throw new AppError("NOT_FOUND", `there is no rule of arrival ${p.id}`);
          await act.audit("rule of arrival changed", { id: p.id, ...body });
        });
      },
    }),
    route({
      method: "delete",
      path: "/arrival-rules/{id}",
      summary: "Takes a rule of arrival away; what it dropped stays counted",
      access: "act",
      params,
      answer: ArrivalRuleList,
      handle: ({ params: p, actor }) =>
        change(actor.name, async (act) => {
          const name = await removeArrivalRule(act.db, p.id);
          if (name === null) throw new AppError("NOT_FOUND", `there is no rule of arrival ${p.id}`);
          await act.audit("rule of arrival removed", { id: p.id, name });
        }),
    }),
  ];
};

/** @throws BAD_REQUEST with the place of what is wrong */
function readable(text: string, senders: SenderDirectory): Filter {
  const parsed = readArrivalFilter(text, senders);
  if (parsed.ok) return parsed.filter;
  throw filterError(parsed.error);
}
