import { EntityId } from "@halvik/contract/common";
import {
  AcknowledgeByLink,
  Deliveries,
  Notices,
  NoticesRead,
  NotifyRouteJson,
  NotifyRoutes,
  SinkMail,
} from "@halvik/contract/notify";
import { formatUs, US_PER_DAY } from "@halvik/core/base/time";
import { severityName } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { historyWords } from "@halvik/core/respond/incidents";
import { NotifyRoute, noticesOf, notifiedChangeOf, parseIncidentFilter } from "@halvik/core/respond/notify";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
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

const params = z.object({ id: EntityId });
const DELIVERIES = 200;
const NOTICES = 60;
/** Lines of histories they are made of. */
const NOTICED_LINES = 400;
const SINK_MAIL = 50;
const LOOPBACK = ["127.0.0.1", "localhost", "[::1]"];

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly config: Config;
  readonly directory: DirectoryCache;
}

export const notifyRoutes = ({ models, db, config, directory }: Needs) => {
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
        checkNames(body, await directory.get());
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
        checkNames(body, await directory.get());
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
        const lines = (await latestNotices(db, nowUs() - US_PER_DAY, NOTICED_LINES)).map((line) => ({
          ...line,
          tells: notifiedChangeOf(line.code) ?? "update",
        }));
        const notices = noticesOf(lines)
          .slice(0, NOTICES)
          .map(({ tells, lines: of }) => {
            const newest = of.at(-1)!;
            return {
              id: newest.id,
              at: formatUs(newest.atUs),
              tells,
              incident: { id: newest.incident, title: newest.title, severity: severityName(newest.severity) },
              read: newest.id <= read,
              lines: of.map((l) => ({ id: l.id, tells: l.tells, what: historyWords(l.code, null), detail: l.detail })),
            };
          });
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

/** @throws {AppError} where a filter names a sender, a group or a site that there is not: it would never hold */
function checkNames({ where }: NotifyRoute, senders: SenderDirectory): void {
  const parsed = parseIncidentFilter(where, senders);
  if (!parsed.ok) throw new AppError("BAD_REQUEST", `where: ${parsed.error.message}`);
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
