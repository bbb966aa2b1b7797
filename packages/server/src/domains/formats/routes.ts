import { EntityId } from "@halvik/contract/common";
import {
  FormatLines,
  FormatPreview,
  FormatProposals,
  FormatTrial,
  FormatVersions,
  OwnFormatChange,
  OwnFormatList,
  OwnFormatOrder,
} from "@halvik/contract/formats";
import { formatUs } from "@halvik/core/base/time";
import { FormatError } from "@halvik/core/decode/lines";
import { OwnFormat, proposeForms } from "@halvik/core/formats";
import * as z from "zod";
import { nowUs } from "../../kernel/clock.js";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { type Act, inAct } from "../../kernel/db/unit-of-work.js";
import { AppError, naming } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import type { DirectoryCache } from "../intake/senders/directory-cache.js";
import { loadMeanings } from "../names/repository.js";
import type { Ask } from "../records/questions.js";
import { formatsText } from "./format-text.js";
import { previewFormat } from "./preview.js";
import {
  addFormat,
  changeFormat,
  formatUses,
  formatVersions,
  loadFormats,
  nearLines,
  orderFormats,
  ready,
  readyFormats,
  removeFormat,
} from "./repository.js";

const MOST_FORMATS = 200;
const NEAR_SHOWN = 5;
const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
  readonly directory: DirectoryCache;
  readonly ask: Ask;
}

/** Formats that people make for lines nobody else knows. */
export const formatRoutes = ({ models, db, directory, ask }: Needs) => {
  const list = async (): Promise<OwnFormatList> => {
    const now = nowUs();
    const senders = await directory.get();
    const formats = await loadFormats(db);
    const { broken } = readyFormats(formats, senders, now);
    const uses = new Map((await formatUses(db, now)).map((u) => [u.format, u]));
    const lines = await nearLines(db);
    return {
      formats: formats.map(({ changedUs, ...f }) => ({
        ...f,
        broken: broken.find((b) => b.id === f.id)?.why ?? null,
        changed: formatUs(changedUs),
        day: uses.get(f.id)?.day ?? 0,
        week: uses.get(f.id)?.week ?? 0,
        near: uses.get(f.id)?.near ?? 0,
        nearLines: lines
          .filter((l) => l.format === f.id)
          .slice(0, NEAR_SHOWN)
          .map(({ text, place, expected, atUs, sender }) => ({
            at: formatUs(atUs),
            sender: senders.name(sender),
            text,
            place,
            expected,
          })),
      })),
    };
  };
  const change = async (who: string, work: (act: Act) => Promise<void>) => {
    await naming("format", () => inAct(models, who, work));
    return list();
  };
  /** @throws BAD_REQUEST with what is wrong of it */
  const check = async (format: OwnFormat): Promise<void> =>
    saying(async () => void ready(0, format, await directory.get(), nowUs()));
  return [
    route({
      method: "get",
      path: "/formats",
      summary: "Formats that people made, in the order they are tried, with what they read and nearly read",
      access: "read",
      answer: OwnFormatList,
      handle: list,
    }),
    route({
      method: "get",
      path: "/formats.yaml",
      summary: "The formats as YAML, fit for `bin/halvik formats import`",
      access: "read",
      answer: { type: "application/yaml" },
      handle: async ({ res }) => {
        res
          .type("application/yaml")
          .attachment("formats.yaml")
          .send(formatsText((await loadFormats(db)).map((f) => f.format)));
        return undefined;
      },
    }),
    route({
      method: "post",
      path: "/formats/propose",
      summary: "What lines may be: forms that fit them, the most specific first",
      access: "read",
      body: FormatLines,
      answer: FormatProposals,
      handle: async ({ body }) => ({
        proposals: proposeForms(body.lines).map(({ form, names }) => ({ form, names: { ...names } })),
      }),
    }),
    route({
      method: "post",
      path: "/formats/preview",
      summary: "What a format would read: of lines given, and of what is stored of the last hour and 30 days",
      access: "read",
      body: FormatTrial,
      answer: FormatPreview,
      handle: ({ body }) =>
        saying(async () =>
          previewFormat(
            { ask, directory: await directory.get(), meanings: await loadMeanings(db) },
            body.format,
            body.lines,
            nowUs(),
          ),
        ),
    }),
    route({
      method: "post",
      path: "/formats",
      summary: "Adds a format after all others; from now on",
      access: "act",
      body: OwnFormat,
      answer: OwnFormatList,
      handle: async ({ body, actor }) => {
        await check(body);
        return change(actor.name, async (act) => {
          if ((await loadFormats(act.db)).length >= MOST_FORMATS)
            throw new AppError("CONFLICT", `there are ${MOST_FORMATS} formats already`);
          const id = await addFormat(act.db, body, act.who, act.atUs);
          await act.audit("format added", { id, ...body });
        });
      },
    }),
    route({
      method: "post",
      path: "/formats/order",
      summary: "Puts the formats in another order: the first that fits a record is the one",
      access: "act",
      body: OwnFormatOrder,
      answer: OwnFormatList,
      handle: ({ body, actor }) =>
        change(actor.name, async (act) => {
          const known = (await loadFormats(act.db)).map((f) => f.id);
          if (body.ids.length !== known.length || !known.every((id) => body.ids.includes(id)))
            throw new AppError("CONFLICT", "the formats have changed meanwhile: look again");
          await orderFormats(act.db, body.ids);
          await act.audit("formats ordered", { ids: body.ids });
        }),
    }),
    route({
      method: "get",
      path: "/formats/{id}/versions",
      summary: "What a format said, the latest first",
      access: "read",
      params,
      answer: FormatVersions,
      handle: async ({ params: p }) => ({
        versions: (await formatVersions(db, p.id)).flatMap(({ body, changedUs, ...v }) => {
          const format = OwnFormat.safeParse(body);
          return format.success ? [{ ...v, format: format.data, changed: formatUs(changedUs) }] : [];
        }),
      }),
    }),
    route({
      method: "patch",
      path: "/formats/{id}",
      summary: "Changes, stops or starts a format; from now on",
      access: "act",
      params,
      body: OwnFormatChange,
      answer: OwnFormatList,
      handle: async ({ params: p, body, actor }) => {
        if (body.format !== undefined) await check(body.format);
        return change(actor.name, async (act) => {
          const known = await changeFormat(
            act.db,
            p.id,
            {
              ...(body.format === undefined ? {} : { format: body.format }),
              ...(body.enabled === undefined ? {} : { enabled: body.enabled }),
            },
            act.who,
            act.atUs,
          );
          if (!known) throw new AppError("NOT_FOUND", `there is no format ${p.id}`);
          await act.audit("format changed", { id: p.id, ...body });
        });
      },
    }),
    route({
      method: "delete",
      path: "/formats/{id}",
      summary: "Takes a format away; what it read stays as it was read",
      access: "act",
      params,
      answer: OwnFormatList,
      handle: ({ params: p, actor }) =>
        change(actor.name, async (act) => {
          const name = await removeFormat(act.db, p.id);
          if (name === null) throw new AppError("NOT_FOUND", `there is no format ${p.id}`);
          await act.audit("format removed", { id: p.id, name });
        }),
    }),
  ];
};

/** What is wrong of a format is said to whoever wrote it. */
async function saying<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (e) {
    if (e instanceof FormatError) throw new AppError("BAD_REQUEST", e.message);
    throw e;
  }
}
