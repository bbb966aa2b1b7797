import { NotifyRoute } from "@halvik/core/respond/notify";
import { Command } from "commander";
import { deleteRoute, insertRoute, listRoutes } from "../domains/notifications/repository.js";
import { nowUs } from "../kernel/clock.js";
import { withAct, withDb } from "./context.js";

const commas = (text: string | undefined): string[] | undefined =>
  text
    ?.split(",")
    .map((t) => t.trim())
    .filter(Boolean);

interface AddOptions {
  readonly to: string;
  readonly severity?: string;
  readonly about?: string;
  readonly tags?: string;
  readonly rules?: string;
  readonly tells?: string;
  readonly delay?: string;
}

export const routesCommand = (): Command =>
  new Command("routes")
    .addCommand(
      new Command("list").description("one line each, as JSON").action(() =>
        withDb(async (db) => {
          for (const { id, route } of await listRoutes(db)) console.log(JSON.stringify({ id, ...route }));
        }),
      ),
    )
    .addCommand(
      new Command("add")
        .description("add a route")
        .argument("<name>")
        .requiredOption("--to <addresses>", "mail addresses, with commas between")
        .option("--severity <name>", "incidents of this severity or worse (default: error)")
        .option("--about <texts>", "only those about one of these words, hosts, addresses or users")
        .option("--tags <tags>", "only those whose rules have one of these tags")
        .option("--rules <ids>", "only those of one of these rules")
        .option("--tells <which>", "raise, update, clear (default: all three)")
        .option("--delay <seconds>", "how long a raise waits to be seen first (default: 0)")
        .action((name: string, o: AddOptions) =>
          withAct(async (act) => {
            const read = NotifyRoute.safeParse({
              name,
              to: commas(o.to),
              severity: o.severity,
              about: commas(o.about),
              tags: commas(o.tags),
              rules: commas(o.rules),
              tells: commas(o.tells),
              delaySeconds: o.delay === undefined ? undefined : Number(o.delay),
            });
            if (!read.success)
              throw new Error(read.error.issues.map((i) => `${i.path.join(".")}: ${i.message}`).join("; "));
            const id = await insertRoute(act.db, read.data, "command line", nowUs());
            await act.audit("route added", { route: id, name });
            console.log(`route ${id} “${name}” is saved`);
          }),
        ),
    )
    .addCommand(
      new Command("remove")
        .description("delete a route")
        .argument("<id>")
        .action((id: string) =>
          withAct(async (act) => {
            if (!/^\d{1,9}$/.test(id) || !(await deleteRoute(act.db, Number(id))))
              throw new Error(`there is no route ${id}`);
            await act.audit("route deleted", { route: Number(id) });
          }),
        ),
    );
