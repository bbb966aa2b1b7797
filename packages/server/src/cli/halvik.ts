import { Command, Option } from "commander";
import { ConfigError } from "../config/config.js";
import { SendersCsvError } from "../exchange/senders-csv.js";
import { StartError } from "../start/cluster.js";
import { SenderConflict } from "../store/sender-changes.js";
import { VERSION } from "../version.js";
import { backupCommands } from "./backup.js";
import { decodeCommand } from "./decode.js";
import { endpointsCommand, snmpUsersCommand } from "./endpoints.js";
import { importCommand } from "./import.js";
import { mailSinkCommand } from "./mail-sink.js";
import { mibsCommand } from "./mibs.js";
import { peopleCommands } from "./people.js";
import { routesCommand } from "./routes.js";
import { rulesCommand } from "./rules.js";
import { sendersCommand } from "./senders.js";
import { serveCommand } from "./serve.js";
import { simulateCommand } from "./simulate.js";

const program = new Command("halvik")
  .description(
    "Brings syslog, SNMP notifications, Windows events, firewall decisions and flow records to one place; finds incidents in them; proves what happened.",
  )
  .version(VERSION);
program.addCommand(
  new Command("start")
    .description(
      "start PostgreSQL, all roles and the demo, and keep running (bin/start does this after installing what is missing)",
    )
    .option("--empty", "no demo: no invented senders, history or stand-in devices")
    .option("--data <dir>", "data directory (default: /var/lib/halvik as root, else ~/.local/share/halvik)")
    .addOption(new Option("--port <n>", "port of the web interface (default: 8480)"))
    .action(async (options: { empty?: boolean; data?: string; port?: string }) => {
      const { start } = await import("../start/start.js");
      await start(
        {
          demo: options.empty !== true,
          ...(options.data ? { dataDir: options.data } : {}),
          ...(options.port ? { port: options.port } : {}),
        },
        process.argv[1]!,
      );
    }),
);
for (const command of [
  serveCommand(),
  decodeCommand(),
  importCommand(),
  sendersCommand(),
  endpointsCommand(),
  snmpUsersCommand(),
  mibsCommand(),
  rulesCommand(),
  routesCommand(),
  mailSinkCommand(),
  ...peopleCommands(),
  ...backupCommands(),
  simulateCommand(),
])
  program.addCommand(command);

program.parseAsync().then(
  () => undefined,
  (e: unknown) => {
    const error = e instanceof Error ? e : new Error(String(e));
    // what a person can mend is one sentence; a mistake of ours shows where it happened
    const ours = !(
      error instanceof StartError ||
      error instanceof ConfigError ||
      error instanceof SendersCsvError ||
      error instanceof SenderConflict ||
      "code" in error ||
      error.constructor === Error
    );
    console.error(
      `halvik: ${ours || process.env.HALVIK_DEBUG ? error.stack : error.message || String((error as { code?: unknown }).code)}`,
    );
    process.exit(1);
  },
);
