import { Command, Option } from "commander";
import { VERSION } from "../kernel/version.js";

/**
 * What makes each command. Loaded when it is the one asked for: reading every library of every command takes longer than most commands
 * run, and a role that was killed is to be back in three seconds.
 */
const COMMANDS: Readonly<Record<string, () => Promise<Command>>> = {
  serve: async () => (await import("./serve.js")).serveCommand(),
  decode: async () => (await import("./decode.js")).decodeCommand(),
  import: async () => (await import("./import.js")).importCommand(),
  senders: async () => (await import("./senders.js")).sendersCommand(),
  endpoints: async () => (await import("./endpoints.js")).endpointsCommand(),
  "snmp-users": async () => (await import("./endpoints.js")).snmpUsersCommand(),
  mibs: async () => (await import("./mibs.js")).mibsCommand(),
  rules: async () => (await import("./rules.js")).rulesCommand(),
  routes: async () => (await import("./routes.js")).routesCommand(),
  "mail-sink": async () => (await import("./mail-sink.js")).mailSinkCommand(),
  user: async () => (await import("./people.js")).userCommand(),
  token: async () => (await import("./people.js")).tokenCommand(),
  backup: async () => (await import("./backup.js")).backupCommand(),
  restore: async () => (await import("./backup.js")).restoreCommand(),
  migrate: async () => (await import("./backup.js")).migrateCommand(),
  simulate: async () => (await import("./simulate.js")).simulateCommand(),
};

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
const asked = Object.hasOwn(COMMANDS, process.argv[2] ?? "") ? [COMMANDS[process.argv[2]!]!] : Object.values(COMMANDS);
if (process.argv[2] !== "start") for (const load of asked) program.addCommand(await load());

program.parseAsync().then(
  () => undefined,
  (e: unknown) => {
    const error = e instanceof Error ? e : new Error(String(e));
    // what a person can mend is one sentence; a mistake of ours shows where it happened
    const ours = !("code" in error || error.constructor === Error);
    console.error(
      `halvik: ${ours || process.env.HALVIK_DEBUG ? error.stack : error.message || String((error as { code?: unknown }).code)}`,
    );
    process.exit(1);
  },
);
