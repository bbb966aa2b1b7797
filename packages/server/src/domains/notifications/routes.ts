import {
  AcknowledgeByLink,
  ChannelWrite,
  Deliveries,
  EntityId,
  Notices,
  NoticesRead,
  NotifyRouteJson,
  NotifyRoutes,
  NotifyWays,
  SinkMail,
} from "@halvik/contract";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import { severityName } from "@halvik/core/model/record";
import { historyWords } from "@halvik/core/respond/incidents";
import { NotifyRoute, onDuty, Rota, tellingOf } from "@halvik/core/respond/notify";
import { z } from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool, Queryable } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { acknowledgeByLink } from "./acknowledge-by-link.js";
import { readSink } from "./mail-sink/read-sink.js";
import { insertStep } from "./plan-deliveries.js";
import {
  changeRoute,
  deleteRoute,
  insertRoute,
  type KeptRoute,
  latestDeliveries,
  latestNotices,
  listRoutes,
  markRead,
  readUpTo,
} from "./repository.js";
import { deleteChannel, deleteRota, listChannels, listRotas, saveChannel, saveRota } from "./settings-repository.js";

const params = z.object({ id: EntityId });
const DELIVERIES = 200;
const NOTICES = 60;
const SINK_MAIL = 50;
const LOOPBACK = ["127.0.0.1", "localhost", "[::1]"];

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly config: Config;
}

export const notifyRoutes = ({ models, db, config }: Needs) => {
  const one = async (id: number) => {
    const found = (await listRoutes(db)).find((r) => r.id === id);
    if (!found) throw notFound(id);
    return toJson(found);
  };
  return [
    route({
      method: "get",
      path: "/notify/routes",
      summary: "Notifications: who gets mail about which incidents, and through which mail server",
      access: "read",
      answer: NotifyRoutes,
      handle: async () => ({ mail: mailServer(config), routes: (await listRoutes(db)).map(toJson) }),
    }),
    route({
      method: "post",
      path: "/notify/routes",
      summary: "Adds a route",
      access: "act",
      body: NotifyRoute,
      answer: NotifyRouteJson,
      handle: async ({ body, actor }) => {
        const made = await inAct(models, actor.name, async (act) => {
          const id = await insertRoute(act.db, body, actor.name, nowUs());
          await act.audit("route added", { route: id, name: body.name });
          return id;
        });
        return one(made);
      },
    }),
    route({
      method: "patch",
      path: "/notify/routes/{id}",
      summary: "Changes a route",
      access: "act",
      params,
      body: NotifyRoute,
      answer: NotifyRouteJson,
      handle: async ({ params: p, body, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if (!(await changeRoute(act.db, p.id, body, actor.name, nowUs()))) throw notFound(p.id);
          await act.audit("route changed", { route: p.id, name: body.name });
        });
        return one(p.id);
      },
    }),
    route({
      method: "delete",
      path: "/notify/routes/{id}",
      summary: "Takes a route away; what it still had to send is not sent",
      access: "act",
      params,
      answer: z.object({ gone: z.boolean() }),
      handle: async ({ params: p, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if (!(await deleteRoute(act.db, p.id))) throw notFound(p.id);
          await act.audit("route deleted", { route: p.id });
        });
        return { gone: true };
      },
    }),
    route({
      method: "post",
      path: "/notify/routes/{id}/test",
      summary: "Sends a test by a route; what became of it stands in the deliveries",
      access: "act",
      params,
      answer: NotifyRouteJson,
      handle: async ({ params: p }) => {
        const found = await one(p.id);
        const now = nowUs();
        const made = { route: p.id, routeName: found.name, incident: null, tells: "test", event: null } as const;
        // everybody it may reach: those of each step too
        for (const step of [0, ...found.escalate.map((_, i) => i + 1)])
          await insertStep(db, found, { ...made, madeUs: now, dueUs: now, step });
        return found;
      },
    }),
    route({
      method: "get",
      path: "/notify/ways",
      summary: "What notifications can go by and to beside mail: channels, and rotas with who is on duty now",
      access: "read",
      answer: NotifyWays,
      handle: async () => {
        const now = nowUs();
        return {
          channels: (await listChannels(db)).map(({ id, author, changedUs, body }) => ({
            ...body,
            id,
            author,
            changed: formatUs(changedUs),
          })),
          rotas: (await listRotas(db)).map(({ id, author, changedUs, body }) => {
            const { untilUs, ...person } = onDuty(body, now);
            return {
              ...body,
              id,
              author,
              changed: formatUs(changedUs),
              onDuty: { ...person, until: formatUs(untilUs) },
            };
          }),
        };
      },
    }),
    ...setUp({
      path: "/notify/rotas",
      what: "rota",
      body: Rota,
      save: (act, id, rota, author) => saveRota(act, id, rota, author, nowUs()),
      nameOf: (rota) => rota.name,
      remove: deleteRota,
      models,
    }),
    ...setUp({
      path: "/notify/channels",
      what: "channel",
      body: ChannelWrite,
      save: (act, id, { channel, secret }, author) => saveChannel(act, id, channel, secret, author, nowUs()),
      nameOf: ({ channel }) => channel.name,
      remove: deleteChannel,
      models,
    }),
    route({
      method: "get",
      path: "/notify/deliveries",
      summary: "What became of every message, or of those about one incident, the newest first",
      access: "read",
      query: z.object({ incident: z.coerce.number().int().min(1).optional() }),
      answer: Deliveries,
      handle: async ({ query }) => ({
        deliveries: (await latestDeliveries(db, DELIVERIES, query.incident ?? null)).map((d) => ({
          id: d.id,
          route: { id: d.route, name: d.route_name },
          incident: d.incident === null ? null : { id: d.incident, title: d.title ?? "" },
          tells: d.tells,
          state: d.state,
          made: formatUs(d.made_us),
          due: formatUs(d.due_us),
          ended: d.ended_us === null ? null : formatUs(d.ended_us),
          attempts: d.attempts,
          why: d.why,
          to: d.recipients,
          step: d.step,
          channel: d.channel_name,
          message: d.message,
        })),
      }),
    }),
    route({
      method: "post",
      path: "/notify/acknowledge",
      summary: "Acknowledges what a mail was about by the link in it, as whoever was mailed: once, within 72 h",
      access: "open",
      body: AcknowledgeByLink,
      answer: z.object({ incident: z.int() }),
      handle: ({ body }) => acknowledgeByLink(models, body, nowUs()),
    }),
    route({
      method: "get",
      path: "/notify/sink",
      summary: "Mail that the stand-in mail server has received",
      access: "read",
      answer: SinkMail,
      handle: async () => ({ mail: await readSink(config.HALVIK_DATA_DIR, SINK_MAIL) }),
    }),
    route({
      method: "get",
      path: "/notices",
      summary: "What happened to incidents in the last day, and what of it one has not read yet",
      access: "read",
      answer: Notices,
      handle: async ({ actor }) => {
        const read = (await readUpTo(db, actor.name)) ?? 0;
        const notices = (await latestNotices(db, nowUs() - US_PER_DAY, NOTICES)).map((n) => ({
          id: n.id,
          at: formatUs(n.at_us),
          tells: tellingOf(n.code) ?? "update",
          what: historyWords(n.code, null),
          detail: n.detail,
          incident: { id: n.incident, title: n.title, severity: severityName(n.severity) },
          read: n.id <= read,
        }));
        return { unread: notices.filter((n) => !n.read).length, notices };
      },
    }),
    route({
      method: "post",
      path: "/notices/read",
      summary: "Says up to which notice one has read",
      access: "read",
      body: NoticesRead,
      answer: z.object({ upTo: z.int() }),
      handle: async ({ body, actor }) => {
        await markRead(db, actor.name, body.upTo);
        return body;
      },
    }),
  ];
};

/** Adding, changing and taking away something that is set up by a form. */
function setUp<B extends z.ZodType>({
  path,
  what,
  body,
  save,
  nameOf,
  remove,
  models,
}: {
  path: string;
  what: string;
  body: B;
  save: (db: Queryable, id: number | null, body: z.output<B>, author: string) => Promise<number | null>;
  nameOf: (body: z.output<B>) => string;
  remove: (db: Queryable, id: number) => Promise<boolean>;
  models: Models;
}) {
  const none = (id: number) => new AppError("NOT_FOUND", `there is no ${what} ${id}`);
  const answer = z.object({ id: z.int() });
  return [
    route({
      method: "post",
      path,
      summary: `Adds a ${what}`,
      access: "act",
      body,
      answer,
      handle: async ({ body: wanted, actor }) =>
        inAct(models, actor.name, async (act) => {
          const id = (await save(act.db, null, wanted as z.output<B>, actor.name))!;
          await act.audit(`${what} added`, { id, name: nameOf(wanted as z.output<B>) });
          return { id };
        }),
    }),
    route({
      method: "patch",
      path: `${path}/{id}`,
      summary: `Changes a ${what}`,
      access: "act",
      params,
      body,
      answer,
      handle: async ({ params: p, body: wanted, actor }) =>
        inAct(models, actor.name, async (act) => {
          if ((await save(act.db, p.id, wanted as z.output<B>, actor.name)) === null) throw none(p.id);
          await act.audit(`${what} changed`, { id: p.id, name: nameOf(wanted as z.output<B>) });
          return { id: p.id };
        }),
    }),
    route({
      method: "delete",
      path: `${path}/{id}`,
      summary: `Takes a ${what} away; notifications that name it do without`,
      access: "act",
      params,
      answer: z.object({ gone: z.boolean() }),
      handle: async ({ params: p, actor }) =>
        inAct(models, actor.name, async (act) => {
          if (!(await remove(act.db, p.id))) throw none(p.id);
          await act.audit(`${what} deleted`, { id: p.id });
          return { gone: true };
        }),
    }),
  ];
}

const notFound = (id: number): AppError => new AppError("NOT_FOUND", `there is no route ${id}`);

const toJson = (r: KeptRoute) => ({ ...r.route, id: r.id, author: r.author, changed: formatUs(r.changedUs) });

/** Without name and password: those are nobody's business here. */
function mailServer(config: Config): z.input<typeof NotifyRoutes>["mail"] {
  if (config.HALVIK_SMTP_URL === "") return null;
  const url = new URL(config.HALVIK_SMTP_URL);
  return {
    server: `${url.hostname}${url.port ? `:${url.port}` : ""}`,
    from: config.HALVIK_MAIL_FROM,
    isSink: LOOPBACK.includes(url.hostname) && url.port === String(config.HALVIK_MAIL_SINK_PORT),
  };
}
