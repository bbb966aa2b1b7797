import { type ChildProcess, spawn } from "node:child_process";
import { createReadStream, createWriteStream, existsSync, readdirSync, readFileSync, statSync } from "node:fs";
import { join, resolve } from "node:path";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { Decrypter, Encrypter } from "age-encryption";
import { Command } from "commander";
import { type Config, loadConfig } from "../kernel/config/config.js";
import { loadOrMakeSecrets, type Secrets } from "../kernel/config/secrets.js";
import { connect, connectionOf, DB_OWNER } from "../kernel/db/pool.js";
import { handOver, runAsUser } from "../kernel/files/owners.js";
import { Cluster, POSTGRES_BIN } from "../start/cluster.js";
import { takeLock } from "../start/lock.js";
import { makeDataDir, prepareDataDir } from "../start/prepare.js";
import { setUpDatabase } from "../start/setup-database.js";
import { migrate } from "../store/migrate.js";
import { countRecords } from "../store/segments.js";

/** Tables copied at a time, of a segment each. */
const JOBS = "2";

export const backupCommand = (): Command =>
  new Command("backup")
    .argument("<target>", "a directory that does not exist yet, or is empty; with --passphrase-file, a file")
    .option(
      "--passphrase-file <file>",
      "encrypt the copy with what this file holds, as age does (age-encryption.org/v1)",
    )
    .action(async (path: string, { passphraseFile }: { passphraseFile?: string }) => {
      // what is kept of people and devices is nobody else's to read
      process.umask(0o077);
      const target = resolve(path);
      if (existsSync(target) && (passphraseFile !== undefined || readdirSync(target).length > 0))
        throw new Error(`${target} is there already; a backup goes into a place of its own`);
      const passphrase = passphraseFile === undefined ? null : readPassphrase(passphraseFile);
      await withDatabase(async (config, secrets) => {
        const started = performance.now();
        if (passphrase === null)
          await run(config, secrets, "pg_dump", [
            "--format=directory",
            `--jobs=${JOBS}`,
            "--compress=1",
            `--file=${target}`,
            config.HALVIK_DB_NAME,
          ]);
        else {
          const dump = ["--format=custom", "--compress=1", config.HALVIK_DB_NAME];
          await run(config, secrets, "pg_dump", dump, async ({ stdout }) => {
            const encrypter = new Encrypter();
            encrypter.setPassphrase(passphrase);
            const sealed = await encrypter.encrypt(Readable.toWeb(stdout!) as ReadableStream<Uint8Array>);
            await pipeline(Readable.fromWeb(sealed as never), createWriteStream(target, { mode: 0o600, flags: "wx" }));
          });
        }
        console.log(`backed up into ${target} in ${seconds(started)}`);
      });
    });

export const restoreCommand = (): Command =>
  new Command("restore")
    .argument("<source>", "what “backup” made")
    .option("--passphrase-file <file>", "what an encrypted copy was encrypted with")
    .action(async (path: string, { passphraseFile }: { passphraseFile?: string }) => {
      const source = resolve(path);
      const isSealed = existsSync(source) && statSync(source).isFile();
      if (!isSealed && !existsSync(join(source, "toc.dat"))) throw new Error(`${source} is no backup of Halvik's`);
      if (isSealed && passphraseFile === undefined)
        throw new Error(`${source} is encrypted: name the file with its passphrase, --passphrase-file`);
      const config = loadConfig(process.env);
      makeDataDir(config.HALVIK_DATA_DIR, runAsUser());
      const release = await takeLock(config.HALVIK_DATA_DIR);
      try {
        await withDatabase(async (_, secrets) => {
          await refuseIfFilled(config, secrets);
          const started = performance.now();
          const how = ["--clean", "--if-exists", "--exit-on-error", `--dbname=${config.HALVIK_DB_NAME}`];
          if (!isSealed) await run(config, secrets, "pg_restore", [...how, `--jobs=${JOBS}`, source]);
          else
            await run(config, secrets, "pg_restore", how, async ({ stdin }) => {
              const decrypter = new Decrypter();
              decrypter.addPassphrase(readPassphrase(passphraseFile!));
              const opened = await decrypter
                .decrypt(Readable.toWeb(createReadStream(source)) as ReadableStream<Uint8Array>)
                .catch((e: Error) => {
                  throw new Error(`${source} cannot be opened: ${e.message}`);
                });
              await pipeline(Readable.fromWeb(opened as never), stdin!);
            });
          const migrated = await migrate(connectionOf(config, secrets, "owner"));
          await setUpDatabase(config, secrets);
          console.log(
            `restored in ${seconds(started)}${migrated.length > 0 ? `, brought up to date by ${migrated.join(", ")}` : ""}; accounts and tokens are those of the backup`,
          );
        });
      } finally {
        release();
      }
    });

export const migrateCommand = (): Command =>
  new Command("migrate").action(() =>
    withDatabase(async (config, secrets) => {
      const done = await migrate(connectionOf(config, secrets, "owner"));
      console.log(done.length === 0 ? "the schema is the newest already" : done.join("\n"));
    }),
  );

const seconds = (startedMs: number): string => `${((performance.now() - startedMs) / 1_000).toFixed(1)} s`;

/** Work on the database: the running one, or one that is started for it and stopped again. */
async function withDatabase(work: (config: Config, secrets: Secrets) => Promise<void>): Promise<void> {
  const config = loadConfig(process.env);
  const runAs = runAsUser();
  prepareDataDir(config, runAs);
  const secrets = loadOrMakeSecrets(config.HALVIK_DATA_DIR);
  handOver(join(config.HALVIK_DATA_DIR, "secrets.json"));
  const cluster = new Cluster(config, secrets, runAs);
  const ran = await answers(config, secrets);
  if (!ran) await cluster.start();
  try {
    await work(config, secrets);
  } finally {
    if (!ran) await cluster.stop();
  }
}

async function answers(config: Config, secrets: Secrets): Promise<boolean> {
  try {
    await (await connect(connectionOf(config, secrets, "owner"))).end();
    return true;
  } catch {
    return false;
  }
}

async function refuseIfFilled(config: Config, secrets: Secrets): Promise<void> {
  const client = await connect(connectionOf(config, secrets, "owner"));
  try {
    const records = await countRecords(client);
    if (records > 0)
      throw new Error(
        `${config.HALVIK_DATA_DIR} holds ${records} records; restore into a data directory of its own (HALVIK_DATA_DIR)`,
      );
  } finally {
    await client.end();
  }
}

/** @param feed reads what the program writes, or writes what it reads */
async function run(
  config: Config,
  secrets: Secrets,
  program: string,
  args: readonly string[],
  feed?: (child: ChildProcess) => Promise<void>,
): Promise<void> {
  const piped = feed === undefined ? "inherit" : "pipe";
  const child = spawn(
    join(POSTGRES_BIN, program),
    [`--host=${config.HALVIK_DB_HOST}`, `--port=${config.HALVIK_DB_PORT}`, `--username=${DB_OWNER}`, ...args],
    {
      stdio: [feed === undefined ? "ignore" : "pipe", piped, "inherit"],
      env: { ...process.env, PGPASSWORD: secrets.dbOwnerPassword },
    },
  );
  const ended = new Promise<void>((done, failed) => {
    child.once("error", failed);
    child.once("exit", (code) => (code === 0 ? done() : failed(new Error(`${program} ended with ${code}`))));
  });
  ended.catch(() => undefined);
  try {
    await feed?.(child);
  } catch (e) {
    child.kill();
    throw e;
  }
  await ended;
}

function readPassphrase(file: string): string {
  const passphrase = readFileSync(file, "utf8").trim();
  if (passphrase.length < 12) throw new Error(`${file}: expected a passphrase of at least 12 characters`);
  return passphrase;
}
