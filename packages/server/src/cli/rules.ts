import { mkdirSync, readdirSync, statSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { type Rule, readKeptRule, testFailures } from "@halvik/core/detect";
import { Command } from "commander";
import { parseAllDocuments } from "yaml";
import { listRules, loadRule, saveRule } from "../domains/rules/repository.js";
import { readRule, writeRule } from "../domains/rules/rule-text.js";
import { sigmaFile } from "../domains/rules/sigma.js";
import { withAct, withDb } from "./context.js";
import { readInput } from "./open-input.js";

export const rulesCommand = (): Command =>
  new Command("rules")
    .addCommand(
      new Command("export")
        .description("print every rule, or write each into a file of its own")
        .argument("[directory]")
        .action((directory: string | undefined) =>
          withDb(async (db) => {
            const rules = (await listRules(db)).flatMap((r) => readKeptRule(r.body)?.original ?? []);
            if (directory === undefined) console.log(rules.map(writeRule).join("---\n").trimEnd());
            else {
              mkdirSync(directory, { recursive: true });
              for (const rule of rules) writeFileSync(join(directory, `${rule.id}.yaml`), writeRule(rule));
              console.log(`${rules.length} written`);
            }
          }),
        ),
    )
    .addCommand(
      new Command("import")
        .description(
          "make rules, or new versions of them, from a file with one or more rules, or from a directory of such files",
        )
        .argument("<path>", '"-" is standard input')
        .action(async (path: string) => {
          const rules = await readAll(path);
          const failures = failuresOf(rules);
          if (failures.length > 0) throw new Error(`no rule was saved: ${failures.join("; ")}`);
          await withAct(async (act) => {
            let changed = 0;
            for (const rule of rules) {
              const before = await loadRule(act.db, rule.id);
              if (before && JSON.stringify(readKeptRule(before.body)?.original) === JSON.stringify(rule)) continue;
              await saveRule(act.db, rule, act.who, act.atUs);
              changed++;
            }
            await act.audit("rules imported", { count: changed });
            console.log(`${rules.length} read, ${changed} saved, ${rules.length - changed} unchanged`);
          });
        }),
    )
    .addCommand(
      new Command("sigma")
        .description(
          "read a file of Sigma and print its rules as files, or what cannot be said here and why; --save keeps them",
        )
        .argument("<file>", '"-" is standard input')
        .option("--source <key=filter...>", 'what a log source is here, such as "product ferry=app is ferry"', [])
        .option("--save", "keep what can be said", false)
        .action(async (file: string, o: { source: string[]; save: boolean }) => {
          const sources = new Map(o.source.map((s) => [s.slice(0, s.indexOf("=")), s.slice(s.indexOf("=") + 1)]));
          const outcomes = sigmaFile(await readInput(file), sources);
          for (const one of outcomes)
            if (one.rule === null)
              console.error(`${one.name}: refused: ${one.why}${one.at === "" ? "" : ` (${one.at})`}`);
            else console.log(`${writeRule(one.rule)}---`);
          if (!o.save) return;
          await withAct(async (act) => {
            const rules = outcomes.flatMap((one) => one.rule ?? []);
            for (const rule of rules) await saveRule(act.db, rule, act.who, act.atUs);
            await act.audit("rules imported", { count: rules.length });
            console.error(`${rules.length} saved`);
          });
        }),
    )
    .addCommand(
      new Command("test")
        .description("run the tests that rules in files carry; exit 1 when one fails")
        .argument("<path>", '"-" is standard input')
        .action(async (path: string) => {
          const rules = await readAll(path);
          const failures = failuresOf(rules);
          for (const failure of failures) console.log(failure);
          console.log(`${rules.reduce((sum, r) => sum + r.tests.length, 0)} tests, ${failures.length} failed`);
          if (failures.length > 0) process.exitCode = 1;
        }),
    );

const failuresOf = (rules: readonly Rule[]): string[] =>
  rules.flatMap((rule) => testFailures(rule).map((said) => `${rule.id}: ${said}`));

/** Every rule of a path; one that cannot be read refuses all, with its file and place. */
async function readAll(path: string): Promise<Rule[]> {
  const isDirectory = path !== "-" && statSync(path).isDirectory();
  const files = isDirectory
    ? readdirSync(path)
        .filter((f) => /\.(ya?ml|json)$/.test(f))
        .sort()
        .map((f) => join(path, f))
    : [path];
  const rules: Rule[] = [];
  for (const file of files)
    for (const [i, document] of parseAllDocuments(await readInput(file)).entries()) {
      const { rule, issues } = readRule(document.toString());
      if (rule === null)
        throw new Error(
          `${file}, rule ${i + 1}: ${issues.map((issue) => `${issue.path} ${issue.message}`.trim()).join("; ")}`,
        );
      rules.push(rule);
    }
  return rules;
}
