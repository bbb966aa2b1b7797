import { US_PER_DAY } from "@halvik/core/base/time";
import { shapeText } from "@halvik/core/shapes";
import { Command, Option } from "commander";
import { nowUs } from "../kernel/clock.js";
import { applyRelearnt, relearnShapes } from "../store/relearn-shapes.js";
import { withAct, withDb } from "./context.js";
import { days } from "./people.js";

const SHOWN = 20;

/** Message shapes, learnt anew. */
export const shapesCommand = (): Command =>
  new Command("shapes").addCommand(
    new Command("relearn")
      .description("learn message shapes anew from what is kept, and say how the old ones lead to them")
      .addOption(new Option("--days <days>", "from the records of so many days").default(30).argParser(days))
      .option("--apply", "put them in the place of the old ones; without this nothing is changed")
      .action(({ days: back, apply = false }: { days: number; apply?: boolean }) =>
        withDb(async (client) => {
          const now = nowUs();
          const relearnt = await relearnShapes(client, now - back * US_PER_DAY);
          const { kept, merged, fresh, records, notMapped } = relearnt;
          const n = (count: number) => count.toLocaleString("en");
          console.log(
            `${n(records)} records: ${n(kept.length)} shapes go on as one of old, ${n(merged.length)} of old become part of another, ${n(fresh.length)} are new`,
          );
          console.log(`${n(notMapped)} records have an old number that leads to another shape than theirs`);
          for (const shape of fresh.slice(0, SHOWN)) console.log(`  new: ${shapeText(shape) ?? shape.origin}`);
          if (fresh.length > SHOWN) console.log(`  and ${n(fresh.length - SHOWN)} more`);
          if (apply) {
            await applyRelearnt(client, relearnt, now);
            await withAct((act) => act.audit("shapes learnt anew", { days: back, records, notMapped }));
            console.log("They are in place; collectors take them over within seconds.");
          } else console.log("Nothing was changed; --apply puts them in place.");
        }),
      ),
  );
