import { MibError } from "@halvik/core/decode/mib";
import { Command } from "commander";
import { addModules, listModules } from "../domains/names/mibs.js";
import { removeModule } from "../domains/names/mibs-repository.js";
import { nowUs } from "../kernel/clock.js";
import { withAct, withDb } from "./context.js";
import { readInput } from "./open-input.js";

export const mibsCommand = (): Command =>
  new Command("mibs")
    .addCommand(
      new Command("add")
        .description("add modules")
        .argument("<files...>", '"-" is standard input')
        .action(async (files: string[]) => {
          const modules: [file: string, text: string][] = [];
          for (const file of files) modules.push([file, await readInput(file)]);
          await withAct(async (act) => {
            for (const [file, text] of modules) {
              try {
                const names = await addModules(act.db, text, "command line", nowUs());
                await act.audit("SNMP modules added", { names });
                console.log(names.join("\n"));
              } catch (e) {
                if (e instanceof MibError) throw new Error(`${file}: ${e.message}`);
                throw e;
              }
            }
          });
        }),
    )
    .addCommand(
      new Command("list").description("list the modules and what they lack").action(() =>
        withDb(async (db) => {
          for (const m of await listModules(db)) {
            console.log([m.name, m.shipped ? "shipped" : `added by ${m.addedBy}`].join("\t"));
            for (const p of m.problems) console.log(`  line ${p.line}, column ${p.column}: ${p.message}`);
          }
        }),
      ),
    )
    .addCommand(
      new Command("remove")
        .description("delete an added module")
        .argument("<name>")
        .action((name: string) =>
          withAct(async (act) => {
            if (!(await removeModule(act.db, name))) throw new Error(`no module “${name}” was added`);
            await act.audit("SNMP module removed", { name });
          }),
        ),
    );
