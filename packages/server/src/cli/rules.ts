import { readFileSync } from "node:fs";
import { Rule } from "@halvik/core/correlation";
import { Command } from "commander";
import { z } from "zod";
import { audit } from "../access/people.js";
import { saveRule } from "../start/setup-database.js";
import { RuleModel } from "../store/models.js";
import { withModels } from "./context.js";

export const rulesCommand = (): Command =>
  new Command("rules")
    .description("the rules as JSON")
    .addCommand(
      new Command("export").description("print every rule").action(() =>
        withModels(async () => {
          console.log(
            JSON.stringify(
              (await RuleModel.findAll({ order: ["id"] })).map((r) => r.body),
              null,
              2,
            ),
          );
        }),
      ),
    )
    .addCommand(
      new Command("import")
        .description("make rules, or new versions of them, from a JSON array")
        .argument("<file>", '"-" is standard input')
        .action((file: string) =>
          withModels(async () => {
            const parsed = z.array(Rule).safeParse(JSON.parse(readFileSync(file === "-" ? 0 : file, "utf8")));
            if (!parsed.success)
              throw new Error(
                `rules: ${parsed.error.issues.map((i) => `${i.path.join(".")}: ${i.message}`).join("; ")}`,
              );
            for (const rule of parsed.data) await saveRule(rule, "command line");
            await audit("command line", "rules imported", { count: parsed.data.length });
            console.log(`${parsed.data.length} saved`);
          }),
        ),
    );
