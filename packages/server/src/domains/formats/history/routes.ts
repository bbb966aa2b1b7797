import { EntityId } from "@halvik/contract/common";
import { FormatReadingAsked, type FormatReadingJson, FormatReadingList } from "@halvik/contract/formats";
import { formatUs } from "@halvik/core/base/time";
import * as z from "zod";
import { nowUs } from "../../../kernel/clock.js";
import type { Models } from "../../../kernel/db/models.js";
import type { Pool } from "../../../kernel/db/pool.js";
import { type Act, inAct } from "../../../kernel/db/unit-of-work.js";
import { AppError } from "../../../kernel/http/errors.js";
import { route } from "../../../kernel/http/route.js";
import { readTime } from "../../../kernel/http/window.js";
import { loadFormats } from "../repository.js";
import { askReading, latestReadings, type Reading, readingWith, stepReading } from "./readings-repository.js";

const params = z.object({ id: EntityId });

/** What these routes work with. */
interface Needs {
  readonly models: Models;
  readonly db: Pool;
}

/** Formats that read history anew. */
export const formatHistoryRoutes = ({ models, db }: Needs) => {
  const list = async (): Promise<FormatReadingList> => ({ readings: (await latestReadings(db)).map(readingJson) });
  const change = async (who: string, work: (act: Act) => Promise<void>) => {
    await inAct(models, who, work);
    return list();
  };
  const known = async (act: Act, id: number): Promise<Reading> => {
    const reading = await readingWith(act.db, id);
    if (reading === null) throw new AppError("NOT_FOUND", `there is no reading ${id}`);
    return reading;
  };
  return [
    route({
      method: "get",
      path: "/format-readings",
      summary: "Formats that read history anew, the latest first, with how far they came",
      access: "read",
      answer: FormatReadingList,
      handle: list,
    }),
    route({
      method: "post",
      path: "/formats/{id}/readings",
      summary: "Has a format read history anew; one at a time, by the keeper",
      access: "act",
      params,
      body: FormatReadingAsked,
      answer: FormatReadingList,
      handle: ({ params: p, body, actor }) =>
        change(actor.name, async (act) => {
          const format = (await loadFormats(act.db)).find((f) => f.id === p.id);
          if (format === undefined) throw new AppError("NOT_FOUND", `there is no format ${p.id}`);
          const now = nowUs();
          const fromUs = body.from === undefined ? 0 : readTime("from", body.from);
          const toUs = body.to === undefined ? now : Math.min(now, readTime("to", body.to));
          if (fromUs >= toUs)
            throw new AppError("BAD_REQUEST", "expected a window that begins before its end and before now");
          const of = { format: p.id, version: format.version, body: format.format, author: act.who, fromUs, toUs };
          const id = await askReading(act.db, of, now);
          if (id === null)
            throw new AppError("CONFLICT", "another reading of history is under way: wait for its end, or stop it");
          await act.audit("format reads history", {
            id: p.id,
            reading: id,
            from: formatUs(fromUs),
            to: formatUs(toUs),
          });
        }),
    }),
    route({
      method: "post",
      path: "/format-readings/{id}/stop",
      summary: "Stops a reading; what it amended until then stays",
      access: "act",
      params,
      answer: FormatReadingList,
      handle: ({ params: p, actor }) =>
        change(actor.name, async (act) => {
          const { state } = await known(act, p.id);
          if (!(await stepReading(act.db, p.id, ["waiting", "reading"], "stopped", act.atUs)))
            throw new AppError("CONFLICT", `reading ${p.id} is ${state} and cannot be stopped`);
          await act.audit("reading of history stopped", { reading: p.id });
        }),
    }),
    route({
      method: "post",
      path: "/format-readings/{id}/take-back",
      summary: "Makes the records that a reading amended what they were as they arrived",
      access: "act",
      params,
      answer: FormatReadingList,
      handle: ({ params: p, actor }) =>
        change(actor.name, async (act) => {
          const { state } = await known(act, p.id);
          if (!(await stepReading(act.db, p.id, ["done", "stopped", "failed"], "taking back", act.atUs)))
            throw new AppError(
              "CONFLICT",
              ["done", "stopped", "failed"].includes(state)
                ? "another reading of history is under way: wait for its end, or stop it"
                : `reading ${p.id} is ${state} and cannot be taken back`,
            );
          await act.audit("reading of history taken back", { reading: p.id });
        }),
    }),
  ];
};

const readingJson = ({
  body: _body,
  fromUs,
  toUs,
  askedUs,
  changedUs,
  segment,
  afterId,
  ...r
}: Reading): FormatReadingJson => ({
  ...r,
  from: formatUs(fromUs),
  to: formatUs(toUs),
  asked: formatUs(askedUs),
  changed: formatUs(changedUs),
});
