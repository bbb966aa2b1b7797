import { readFileSync } from "node:fs";
import { Command } from "commander";
import { importSenders } from "../domains/intake/senders/changes-repository.js";
import { exportSenders, parseSenders } from "../domains/intake/senders/csv.js";
import { loadSenders } from "../domains/intake/senders/repository.js";
import { connect, connectionOf } from "../kernel/db/pool.js";
import { inAct } from "../kernel/db/unit-of-work.js";
import { CLI, context, withModels } from "./context.js";

export const sendersCommand = (): Command =>
  new Command("senders")
    .addCommand(
      new Command("export").description("print the admitted senders").action(async () => {
        const { config, secrets } = context();
        const client = await connect(connectionOf(config, secrets, "owner"));
        try {
          process.stdout.write(exportSenders(await loadSenders(client, config.HALVIK_ZONE)));
        } finally {
          await client.end();
        }
      }),
    )
    .addCommand(
      new Command("import")
        .description("make or change senders by name, and admit them")
        .argument("<file>", 'CSV with the columns of the export; "-" is standard input')
        .action((file: string) =>
          withModels(async ({ models }) => {
            const list = parseSenders(readFileSync(file === "-" ? 0 : file, "utf8"));
            const { created, changed } = await inAct(models, CLI, (act) => importSenders(act, list));
            console.log(`${created} made, ${changed} changed`);
          }),
        ),
    );
