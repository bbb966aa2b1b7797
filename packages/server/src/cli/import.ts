import { basename } from "node:path";
import { canonicalAddress } from "@halvik/core/net";
import { Command, Option } from "commander";
import { nowUs } from "../config/clock.js";
import { identify, importFile, readTimeOption, sayReceipt } from "../jobs/import-file.js";
import { connectionOf } from "../store/pool.js";
import { context, openInput } from "./context.js";

interface ImportCommandOptions {
  readonly name?: string;
  readonly peer?: string;
  readonly received?: string;
  readonly rules?: boolean;
  readonly total?: string;
  readonly again?: boolean;
  readonly job?: string;
}

export const importCommand = (): Command =>
  new Command("import")
    .description("store the records of a capture, text, event XML, JSON or table, gzip or not, and print a receipt")
    .argument("<file>", 'the file; "-" is standard input')
    .addOption(new Option("--job <id>", "the job that asked for it").hideHelp())
    .option("--again", "store a file even if it was imported before")
    .option("--name <name>", "what to call it in progress and history")
    .option("--peer <address>", "for all but captures: the address that sent them")
    .option("--received <time>", "for lines of text: when they arrived (RFC 3339; default: now)")
    .option("--rules", "let the rules look at them, as if they arrived at their own times")
    .option("--total <n>", "messages expected, for progress")
    .action(async (file: string, options: ImportCommandOptions) => {
      const { config, secrets } = context();
      const peer = options.peer === undefined ? null : canonicalAddress(options.peer);
      if (options.peer !== undefined && peer === null)
        throw new Error(`--peer: expected an address, got "${options.peer}"`);
      const total = options.total === undefined ? null : Number(options.total);
      const started = performance.now();
      const receipt = await importFile(connectionOf(config, secrets, "collector"), openInput(file), {
        name: options.name ?? (file === "-" ? "standard input" : basename(file)),
        peer,
        receivedUs: options.received === undefined ? nowUs() : readTimeOption(options.received),
        identity: file === "-" || options.again ? null : await identify(openInput(file)),
        jobId: options.job === undefined ? null : Number(options.job),
        runRules: options.rules === true,
        total,
        zone: config.HALVIK_ZONE,
        keepByKind: config.HALVIK_KEEP_KINDS,
        onProgress: (read) =>
          process.stdout.isTTY && process.stdout.write(`\r  ${read}${total ? ` of about ${total}` : ""} messages `),
      });
      console.log(
        `${process.stdout.isTTY ? "\r" : ""}  ${sayReceipt(receipt)}, in ${((performance.now() - started) / 1000).toFixed(1)} s`,
      );
    });
