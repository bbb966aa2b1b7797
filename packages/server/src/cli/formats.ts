import { Command } from "commander";
import { formatsText, readFormatsText } from "../domains/formats/format-text.js";
import { addFormat, changeFormat, loadFormats, ready } from "../domains/formats/repository.js";
import { loadDirectory } from "../domains/intake/senders/directory-cache.js";
import { withAct } from "./context.js";
import { readInput } from "./open-input.js";

export const formatsCommand = (): Command =>
  new Command("formats")
    .description("formats that people made for lines nobody else knows")
    .addCommand(
      new Command("export")
        .description("print them as YAML")
        .action(() =>
          withAct(async (act) => console.log(formatsText((await loadFormats(act.db)).map((f) => f.format)).trimEnd())),
        ),
    )
    .addCommand(
      new Command("import")
        .description("add or change formats, by their names: all of a file, or none")
        .argument("<file>", '"-" is standard input')
        .action(async (file: string) => {
          const formats = readFormatsText(await readInput(file));
          await withAct(async (act) => {
            const directory = await loadDirectory(act.db, "UTC");
            const known = new Map((await loadFormats(act.db)).map((f) => [f.format.name.toLowerCase(), f.id]));
            let added = 0;
            for (const format of formats) {
              ready(0, format, directory, act.atUs);
              const id = known.get(format.name.toLowerCase());
              if (id !== undefined) await changeFormat(act.db, id, { format }, act.who, act.atUs);
              else {
                known.set(format.name.toLowerCase(), await addFormat(act.db, format, act.who, act.atUs));
                added++;
              }
            }
            await act.audit("formats imported", { count: formats.length });
            console.log(`${formats.length} read, ${added} added, ${formats.length - added} changed or as they were`);
          });
        }),
    );
