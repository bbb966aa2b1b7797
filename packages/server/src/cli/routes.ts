import { readFileSync } from "node:fs";
import { NotifyRoute } from "@halvik/core/respond/notify";
import { Command } from "commander";
import * as z from "zod";
import { changeRoute, deleteRoute, insertRoute, listRoutes } from "../domains/notifications/repository.js";
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
  readonly where?: string;
  readonly tags?: string;
  readonly rules?: string;
  readonly tells?: string;
  readonly delay?: string;
}

/** What a file says beside the route itself. */
const KeptFile = z.looseObject({ id: z.int().min(1).optional() });

function readRoute(written: object): NotifyRoute {
  const read = NotifyRoute.safeParse(written);
  if (read.success) return read.data;
  throw new Error(read.error.issues.map((i) => `${i.path.join(".")}: ${i.message}`).join("; "));
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
      new Command("save")
        .description("add a route, or change one, by a file as `list` prints a line; without an id it is a new one")
        .argument("<file>")
        .action((file: string) =>
          withAct(async (act) => {
            const kept = KeptFile.parse(JSON.parse(readFileSync(file, "utf8")));
            const route = readRoute(kept);
            if (kept.id !== undefined && !(await changeRoute(act.db, kept.id, route, "command line", nowUs())))
              throw new Error(`there is no route ${kept.id}`);
            const id = kept.id ?? (await insertRoute(act.db, route, "command line", nowUs()));
            await act.audit(kept.id === undefined ? "route added" : "route changed", { route: id, name: route.name });
            console.log(`route ${id} “${route.name}” is saved`);
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
        .option("--where <filter>", "only those for which this filter over fields of incidents holds")
        .option("--tags <tags>", "only those whose rules have one of these tags")
        .option("--rules <ids>", "only those of one of these rules")
        .option("--tells <which>", "raise, update, clear (default: all three)")
        .option("--delay <seconds>", "how long a raise waits to be seen first (default: 0)")
        .action((name: string, o: AddOptions) =>
          withAct(async (act) => {
            const route = readRoute({
              name,
              to: commas(o.to),
              severity: o.severity,
              about: commas(o.about),
              where: o.where,
              tags: commas(o.tags),
              rules: commas(o.rules),
              tells: commas(o.tells),
              delaySeconds: o.delay === undefined ? undefined : Number(o.delay),
            });
            const id = await insertRoute(act.db, route, "command line", nowUs());
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
