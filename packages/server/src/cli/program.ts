import { Command, Option } from "commander";
import { VERSION } from "../kernel/version.js";

/**
 * Each command, and what makes it. Loaded when it is the one asked for: reading every library of every command takes longer than most commands
 * run, and a role that was killed is to be back in three seconds.
 */
const COMMANDS: Readonly<Record<string, { readonly description: string; readonly load: () => Promise<Command> }>> = {
  serve: {
    description: "run one role in the foreground against a database that is running and up to date",
    load: async () => (await import("./serve.js")).serveCommand(),
  },
  decode: {
    description: "decode a file or capture of any kind: one JSON record a line (docs/decode.md)",
    load: async () => (await import("./decode.js")).decodeCommand(),
  },
  import: {
    description: "store the records of a capture, text, event XML, JSON or table, gzip or not, and print a receipt",
    load: async () => (await import("./import.js")).importCommand(),
  },
  sniff: {
    description: "read the packets of an interface by tcpdump and send flows and records of their contents to a Halvik",
    load: async () => (await import("./sniff.js")).sniffCommand(),
  },
  senders: {
    description: "the list of senders as CSV",
    load: async () => (await import("./senders.js")).sendersCommand(),
  },
  endpoints: {
    description: "endpoints that receive records; changes take effect within a second",
    load: async () => (await import("./endpoints.js")).endpointsCommand(),
  },
  "snmp-users": {
    description: "users of SNMPv3 notifications; their passwords become keys and are not kept",
    load: async () => (await import("./endpoints.js")).snmpUsersCommand(),
  },
  interfaces: {
    description: "what interfaces of exporters are called, and how much they carry",
    load: async () => (await import("./interfaces.js")).interfacesCommand(),
  },
  domains: {
    description: "domains that are ours: in them a name is the same with and without it",
    load: async () => (await import("./domains.js")).domainsCommand(),
  },
  lists: {
    description: "lists of addresses, domains and names that filters and rules name",
    load: async () => (await import("./lists.js")).listsCommand(),
  },
  mibs: {
    description: "SNMP modules that give names to object identifiers; they apply to history too",
    load: async () => (await import("./mibs.js")).mibsCommand(),
  },
  rules: {
    description: "the rules as files (YAML), fit for version control",
    load: async () => (await import("./rules.js")).rulesCommand(),
  },
  formats: {
    description: "formats of lines that nobody else knows, as files (YAML)",
    load: async () => (await import("./formats.js")).formatsCommand(),
  },
  routes: {
    description: "notifications: who is notified of which incidents",
    load: async () => (await import("./routes.js")).routesCommand(),
  },
  "mail-sink": {
    description: "a stand-in mail server on loopback that keeps what it receives and sends nothing on (for trials)",
    load: async () => (await import("./mail-sink.js")).mailSinkCommand(),
  },
  "hook-sink": {
    description: "a stand-in receiver of notifications by web address on loopback: checks and prints them (for trials)",
    load: async () => (await import("./sinks.js")).hookSinkCommand(),
  },
  "syslog-sink": {
    description: "a stand-in receiver of notifications by syslog on loopback, UDP and TCP (for trials)",
    load: async () => (await import("./sinks.js")).syslogSinkCommand(),
  },
  "snmp-sink": {
    description: "a stand-in receiver of notifications by SNMP on loopback: traps and informs (for trials)",
    load: async () => (await import("./sinks.js")).snmpSinkCommand(),
  },
  user: {
    description: "accounts of people",
    load: async () => (await import("./people.js")).userCommand(),
  },
  token: {
    description: "tokens for programs that use the API",
    load: async () => (await import("./people.js")).tokenCommand(),
  },
  investigations: {
    description: "whose investigations are; give one to another account",
    load: async () => (await import("./investigations.js")).investigationsCommand(),
  },
  shapes: {
    description: "message shapes, learnt anew",
    load: async () => (await import("./shapes.js")).shapesCommand(),
  },
  backup: {
    description: "copy the whole store into a directory, while Halvik runs or not; the copy is of one moment",
    load: async () => (await import("./backup.js")).backupCommand(),
  },
  restore: {
    description: "fill an empty Halvik from a backup; Halvik must not run on that data directory",
    load: async () => (await import("./backup.js")).restoreCommand(),
  },
  migrate: {
    description: "bring the database to the newest schema; bin/start does the same",
    load: async () => (await import("./backup.js")).migrateCommand(),
  },
  simulate: {
    description: "stand-in devices of an invented company, Orvane Ferries",
    load: async () => (await import("./simulate.js")).simulateCommand(),
  },
};

/**
 * The program, with the command that is asked for read in.
 * @param path of the program itself, for what it starts
 */
export async function programFor(args: readonly string[], path: string): Promise<Command> {
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
          path,
        );
      }),
  );
  for (const [name, { description, load }] of Object.entries(COMMANDS))
    program.addCommand((name === args[0] ? await load() : new Command(name)).description(description));
  return program;
}

/** What a person reads of an error: what they can mend is one sentence; a mistake of ours shows where it happened. */
export function sayFailure(thrown: unknown): string {
  const error = thrown instanceof Error ? thrown : new Error(String(thrown));
  const ours = !("code" in error || error.constructor === Error);
  return `halvik: ${ours || process.env.HALVIK_DEBUG ? error.stack : error.message || String((error as { code?: unknown }).code)}`;
}
