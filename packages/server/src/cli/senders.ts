import { Command } from "commander";
import { exportSenders, parseSenders } from "../domains/intake/senders/csv.js";
import { loadSenders } from "../domains/intake/senders/repository.js";
import { withDb, withModelAct } from "./context.js";
import { readInput } from "./open-input.js";

export const sendersCommand = (): Command =>
  new Command("senders")
    .addCommand(
      new Command("export").description("print the admitted senders").action(() =>
        withDb(async (db, config) => {
          process.stdout.write(exportSenders(await loadSenders(db, config.HALVIK_ZONE)));
        }),
      ),
    )
    .addCommand(
      new Command("import")
        .description("make or change senders by name, and admit them")
        .argument("<file>", 'CSV with the columns of the export; "-" is standard input')
        .action(async (file: string) => {
          const list = parseSenders(await readInput(file));
          // with the models, which take longer to read than the export takes
          const { importSenders } = await import("../domains/intake/senders/changes-repository.js");
          const { created, changed } = await withModelAct((act) => importSenders(act, list));
          console.log(`${created} made, ${changed} changed`);
        }),
    );
