import { basename } from "node:path";
import { canonicalAddress } from "@halvik/core/net";
import { Command } from "commander";
import { nowUs } from "../config/clock.js";
import { importFile, readTimeOption, sayReceipt } from "../jobs/import-file.js";
import { connectionOf } from "../store/pool.js";
import { context, openInput } from "./context.js";

interface ImportCommandOptions {
  readonly name?: string;
  readonly peer?: string;
  readonly received?: string;
  readonly rules?: boolean;
  readonly total?: string;
}

export const importCommand = (): Command =>
  new Command("import")
    .description("store the messages of a capture or text file, with their own times, and print a receipt")
    .argument("<file>", 'the file; "-" is standard input')
    .option("--name <name>", "what to call it in progress and history")
    .option("--peer <address>", "for lines of text: the address that sent them")
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
      const receipt = await importFile(connectionOf(config, secrets, "owner"), openInput(file), {
        name: options.name ?? (file === "-" ? "standard input" : basename(file)),
        peer,
        receivedUs: options.received === undefined ? nowUs() : readTimeOption(options.received),
        runRules: options.rules === true,
        total,
        zone: config.HALVIK_ZONE,
        onProgress: (read) =>
          process.stdout.isTTY && process.stdout.write(`\r  ${read}${total ? ` of about ${total}` : ""} messages `),
      });
      console.log(
        `${process.stdout.isTTY ? "\r" : ""}  ${sayReceipt(receipt)}, in ${((performance.now() - started) / 1000).toFixed(1)} s`,
      );
    });
