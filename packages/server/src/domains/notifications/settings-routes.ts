import { EntityId } from "@halvik/contract/common";
import { IncidentDetail } from "@halvik/contract/incidents";
import { ChannelWrite, NotifyWays, Preview, PreviewText } from "@halvik/contract/notify";
import { formatUs } from "@halvik/core/base/time";
import { NotifyTexts, onDuty, previewOf, Rota, writtenText } from "@halvik/core/respond/notify";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Config } from "../../kernel/config/config.js";
import { publicUrl } from "../../kernel/config/public-url.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool, Queryable } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { incidentDetail } from "../incidents/detail.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { notifyModule } from "../names/mibs.js";
import type { Presenter } from "../names/presenter.js";
import {
  deleteChannel,
  deleteRota,
  deleteTexts,
  type Kept,
  listChannels,
  listRotas,
  listTexts,
  saveChannel,
  saveRota,
  saveTexts,
} from "./settings-repository.js";
import { engineIdOf } from "./ways/snmp.js";

const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly config: Config;
  readonly directory: DirectoryCache;
  readonly presenter: Presenter;
}

/** What notifications go by and to, and what they say: channels, rotas, texts. */
export const notifySettingsRoutes = ({ models, db, config, directory, presenter }: Needs) => {
  return [
    route({
      method: "get",
      path: "/notify/ways",
      summary: "What notifications can go by and to beside mail: channels, and rotas with who is on duty now",
      access: "read",
      answer: NotifyWays,
      handle: async () => {
        const now = nowUs();
        return {
          channels: (await listChannels(db)).map(keptJson),
          texts: (await listTexts(db)).map(keptJson),
          programs: [...config.HALVIK_NOTIFY_PROGRAMS.keys()],
          engineId: engineIdOf(config.HALVIK_NODE),
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
      save: (act, id, { channel, ...secrets }, author) => {
        if (channel.kind === "command" && !config.HALVIK_NOTIFY_PROGRAMS.has(channel.program))
          throw new AppError(
            "BAD_REQUEST",
            `“${channel.program}” is none of the programs that the administrator allows (HALVIK_NOTIFY_PROGRAMS)`,
          );
        return saveChannel(act, id, channel, secrets, author, nowUs());
      },
      nameOf: ({ channel }) => channel.name,
      remove: deleteChannel,
      models,
    }),
    ...setUp({
      path: "/notify/texts",
      what: "text",
      body: NotifyTexts,
      save: (act, id, texts, author) => saveTexts(act, id, texts, author, nowUs()),
      nameOf: (texts) => texts.name,
      remove: deleteTexts,
      models,
    }),
    route({
      method: "get",
      path: "/notify/mib",
      summary: "The module that names what is sent to SNMP receivers",
      access: "read",
      answer: { type: "text/plain" },
      handle: async ({ res }) => {
        res.type("text/plain").attachment("HALVIK-NOTIFY-MIB.mib").send(notifyModule());
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/notify/texts/preview",
      summary: "A text as it would be sent about an incident; it is not kept",
      access: "read",
      body: PreviewText,
      answer: Preview,
      handle: async ({ body: { incident, kind, language, subject, body } }) => {
        const written = writtenText(kind).safeParse({ subject, body });
        if (!written.success) {
          const [first] = written.error.issues;
          throw new AppError("BAD_REQUEST", `${first!.path.join(".")}: ${first!.message}`);
        }
        const senders = await directory.get();
        const detail = await incidentDetail(db, incident, senders, await presenter.present(senders));
        if (detail === null) throw new AppError("NOT_FOUND", `there is no incident ${incident}`);
        const told = {
          tell: "raise",
          detail: IncidentDetail.parse(detail),
          link: `${publicUrl(config)}/incidents/${incident}`,
        } as const;
        const { subject: line, text, html } = previewOf(kind, written.data, language, told, config.HALVIK_ZONE);
        return { subject: line, text, html };
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

const keptJson = <T extends object>({ id, author, changedUs, body }: Kept<T>) => ({
  ...body,
  id,
  author,
  changed: formatUs(changedUs),
});
