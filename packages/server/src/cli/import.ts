import { basename } from "node:path";
import { canonicalAddress } from "@halvik/core/base/net";
import { formatUs } from "@halvik/core/base/time";
import { Command, Option } from "commander";
import { loadFormats, readyFormats } from "../domains/formats/repository.js";
import { identify, importFile, sayReceipt } from "../domains/intake/imports/import-file.js";
import { removeImport } from "../domains/intake/imports/remove-import.js";
import { latestJobs } from "../domains/intake/imports/repository.js";
import { loadDirectory } from "../domains/intake/senders/directory-cache.js";
import { nowUs } from "../kernel/clock.js";
import { connectionOf } from "../kernel/db/pool.js";
import { addAudit } from "../kernel/db/unit-of-work.js";
import { givenInput } from "../kernel/role-input.js";
import { CLI, context, withDb } from "./context.js";
import { openInput } from "./open-input.js";
import { readTimeOption } from "./time-option.js";

interface ImportCommandOptions {
  readonly name?: string;
  readonly peer?: string;
  readonly received?: string;
  readonly rules?: boolean;
  readonly total?: string;
  readonly again?: boolean;
  readonly meter?: boolean;
  readonly keepQueries?: boolean;
  readonly job?: string;
}

const removeCommand = (): Command =>
  new Command("remove")
    .description("take out all that one import brought in; the file can be imported again after it")
    .argument("<id>", "the number of the import, as its receipt and “import list” say it")
    .action(async (id: string) => {
      if (!/^\d{1,9}$/.test(id)) throw new Error(`expected the number of an import, got "${id}"`);
      await withDb(async (db) => {
        const removed = await removeImport(db, Number(id));
        await addAudit(db, nowUs(), CLI, "import removed", { id: Number(id), records: removed });
        console.log(`import ${id}: ${removed} records removed`);
      });
    });

const LISTED = 50;

const listCommand = (): Command =>
  new Command("list").description("the last imports, with their numbers").action(() =>
    withDb(async (db) => {
      for (const j of await latestJobs(db, LISTED))
        console.log(`${j.id}\t${formatUs(j.startedUs)}\t${j.state}\t${oneLine(j.name)}\t${oneLine(j.message)}`);
    }),
  );

/** A name came with a file: on a terminal it is text and nothing else. */
const oneLine = (text: string): string => text.replace(/[\p{Cc}\p{Cf}]/gu, "·");

export const importCommand = (): Command =>
  new Command("import")
    .addCommand(removeCommand())
    .addCommand(listCommand())
    .argument("<file>", 'the file; "-" is standard input')
    .addOption(new Option("--job <id>", "the job that asked for it").hideHelp())
    .option("--again", "store a file even if it was imported before")
    .option("--name <name>", "what to call it in progress and history")
    .option("--peer <address>", "for all but captures: the address that sent them")
    .option(
      "--meter",
      "of a capture: make flows of its packets and records of their contents, with --peer as their sender, instead of reading the messages in it",
    )
    .option("--keep-queries", "with --meter: keep what stands behind the ? of requests, which people may have typed")
    .option("--received <time>", "for lines of text: when they arrived (RFC 3339; default: now)")
    .option("--rules", "let the rules look at them, as if they arrived at their own times")
    .option("--total <n>", "messages expected, for progress")
    .action(async (file: string, options: ImportCommandOptions) => {
      const { config, secrets } = (await givenInput()) ?? context();
      const peer = options.peer === undefined ? null : canonicalAddress(options.peer);
      if (options.peer !== undefined && peer === null)
        throw new Error(`--peer: expected an address, got "${options.peer}"`);
      if (options.meter && peer === null)
        throw new Error("--meter needs --peer: the address of the machine that captured, the sender of the flows");
      const total = options.total === undefined ? null : Number(options.total);
      const started = performance.now();
      const receipt = await importFile(connectionOf(config, secrets, "collector"), openInput(file), {
        name: options.name ?? (file === "-" ? "standard input" : basename(file)),
        peer,
        receivedUs: options.received === undefined ? nowUs() : readTimeOption(options.received),
        identity:
          file === "-" || options.again
            ? null
            : await identify(
                openInput(file),
                options.meter ? `metered by ${peer}${options.keepQueries ? ", with queries" : ""}` : "",
              ),
        jobId: options.job === undefined ? null : Number(options.job),
        runRules: options.rules === true,
        meter: options.meter === true,
        keepsQueries: options.keepQueries === true,
        total,
        zone: config.HALVIK_ZONE,
        keepByKind: config.HALVIK_KEEP_KINDS,
        formats: async (db) =>
          readyFormats(await loadFormats(db), await loadDirectory(db, config.HALVIK_ZONE), nowUs()).ready,
        onProgress: (read) =>
          process.stdout.isTTY && process.stdout.write(`\r  ${read}${total ? ` of about ${total}` : ""} messages `),
      });
      console.log(
        `${process.stdout.isTTY ? "\r" : ""}  import ${receipt.job}: ${sayReceipt(receipt)}, in ${((performance.now() - started) / 1000).toFixed(1)} s`,
      );
    });
