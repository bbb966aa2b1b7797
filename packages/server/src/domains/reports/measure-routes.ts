import { EntityId } from "@halvik/contract/common";
import { MeasureList, NewMeasure } from "@halvik/contract/reports";
import { formatUs } from "@halvik/core/base/time";
import { sayMeasure } from "@halvik/core/report";
import * as z from "zod";
import type { Models } from "../../kernel/db/models.js";
import type { Pool } from "../../kernel/db/pool.js";
import { inAct } from "../../kernel/db/unit-of-work.js";
import { AppError, naming } from "../../kernel/http/errors.js";
import { route } from "../../kernel/http/route.js";
import { addMeasure, listMeasures, removeMeasure } from "./measures-repository.js";

const MOST_MEASURES = 500;

/** Measures that are kept by name, to begin a part or a tile with. */
export const measureRoutes = ({ models, db }: { readonly models: Models; readonly db: Pool }) => {
  const list = async (): Promise<MeasureList> => ({
    measures: (await listMeasures(db)).map(({ changedUs, ...m }) => ({
      ...m,
      says: sayMeasure(m.measure),
      changed: formatUs(changedUs),
    })),
  });
  return [
    route({
      method: "get",
      path: "/measures",
      summary: "Measures that are kept by name",
      access: "read",
      answer: MeasureList,
      handle: list,
    }),
    route({
      method: "post",
      path: "/measures",
      summary: "Keeps a measure by a name; a copy of it begins a part of a report or a tile",
      access: "act",
      body: NewMeasure,
      answer: MeasureList,
      handle: async ({ body, actor }) => {
        await naming("measure", () =>
          inAct(models, actor.name, async (act) => {
            if ((await listMeasures(act.db)).length >= MOST_MEASURES)
              throw new AppError("CONFLICT", `there are ${MOST_MEASURES} measures already`);
            const id = await addMeasure(act.db, body, act.who, act.atUs);
            await act.audit("measure kept", { id, name: body.name });
          }),
        );
        return list();
      },
    }),
    route({
      method: "delete",
      path: "/measures/{id}",
      summary: "Forgets a measure; what was begun with it stays as it is",
      access: "act",
      params: z.object({ id: EntityId }),
      answer: MeasureList,
      handle: async ({ params: p, actor }) => {
        await inAct(models, actor.name, async (act) => {
          if (!(await removeMeasure(act.db, p.id))) throw new AppError("NOT_FOUND", `there is no measure ${p.id}`);
          await act.audit("measure forgotten", { id: p.id });
        });
        return list();
      },
    }),
  ];
};
