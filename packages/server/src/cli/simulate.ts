import { createWriteStream, existsSync, mkdirSync, readFileSync, type WriteStream } from "node:fs";
import { join } from "node:path";
import { formatUs } from "@halvik/core/base/time";
import {
  COMMUNITY,
  CRANE_MIB,
  capture,
  history,
  LiveDevices,
  networks,
  plantedStories,
  roster,
  USM,
} from "@halvik/simulator";
import { Command } from "commander";
import { exportSenders } from "../domains/intake/senders/csv.js";
import { nowUs } from "../kernel/clock.js";
import { loadConfig } from "../kernel/config/config.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";
import { readTimeOption } from "./time-option.js";

const HISTORY_STORY_EVERY_MINUTES = 149;
export const LIVE_STORY_EVERY_MINUTES = 6;

interface HistoryOptions {
  readonly days: string;
  readonly seed: string;
  readonly until?: string;
  readonly eventsDir?: string;
}

const untilOf = ({ until }: { readonly until?: string }): number =>
  until === undefined ? nowUs() : readTimeOption(until);

export const simulateCommand = (): Command =>
  new Command("simulate")
    .addCommand(
      new Command("senders")
        .description("print its devices as a list of senders")
        .action(() => void process.stdout.write(exportSenders(roster()))),
    )
    .addCommand(
      new Command("networks")
        .description("print its networks with the sites they are at")
        .action(() => void process.stdout.write(networks())),
    )
    .addCommand(
      new Command("mib")
        .description("print the module of its cranes' maker")
        .action(() => void process.stdout.write(CRANE_MIB)),
    )
    .addCommand(
      new Command("community").description("print its SNMP community").action(() => void console.log(COMMUNITY)),
    )
    .addCommand(
      new Command("snmp-user")
        .description("print the arguments that make its SNMPv3 user")
        .action(
          () =>
            void console.log(
              `${USM.name} --auth ${USM.authProtocol} --auth-password ${USM.authPassword} --priv ${USM.privProtocol} --priv-password ${USM.privPassword}`,
            ),
        ),
    )
    .addCommand(
      new Command("stories")
        .description("print what is planted in its history, and when each begins")
        .option("--days <n>", "days of history", "7")
        .option("--until <time>", "end of the history (RFC 3339; default: now)")
        .action((o: { days: string; until?: string }) => {
          for (const s of plantedStories(untilOf(o), Number(o.days), HISTORY_STORY_EVERY_MINUTES))
            console.log(`${formatUs(s.atUs).slice(0, 16)}Z  ${s.name}: ${s.about}`);
        }),
    )
    .addCommand(
      new Command("history")
        .description("write what they sent as a pcap capture to standard output, and event logs to a directory")
        .option("--days <n>", "days of history", "7")
        .option("--seed <n>", "seed of its chances", "1")
        .option("--until <time>", "end of the history (RFC 3339; default: now)")
        .option(
          "--events-dir <dir>",
          "where each Windows host's events go, as ADDRESS.xml; without it they are left out",
        )
        .action((o: HistoryOptions) => writeHistory(o)),
    )
    .addCommand(
      new Command("capture")
        .description(
          "write what went by on a mirrored port of its core, DNS, HTTP and TLS, as a pcap capture to standard output",
        )
        .option("--seed <n>", "seed of its chances", "1")
        .option("--until <time>", "end of the capture (RFC 3339; default: now)")
        .action(async (o: { seed: string; until?: string }) => {
          process.stdout.on("error", () => process.exit(0));
          const parts = [...capture(untilOf(o), Number(o.seed))];
          if (!process.stdout.write(Buffer.concat(parts)))
            await new Promise((resolve) => process.stdout.once("drain", resolve));
        }),
    )
    .addCommand(
      new Command("live")
        .description("send real packets to this machine's collector until stopped")
        .option("--seed <n>", "seed of its chances", "1")
        .option("--rate <n>", "ordinary traffic, as a multiple of a usual day", "1")
        .option("--token-file <file>", "file with the intake token of the Windows forwarder; without it, no events")
        .action(runLive),
    );

async function writeHistory(o: HistoryOptions): Promise<void> {
  process.stdout.on("error", () => process.exit(0));
  let waiting: Uint8Array[] = [];
  const flush = async () => {
    const more = process.stdout.write(Buffer.concat(waiting));
    waiting = [];
    if (!more) await new Promise((resolve) => process.stdout.once("drain", resolve));
  };
  const logs = new Map<string, WriteStream>();
  const logOf = (address: string): WriteStream => {
    let log = logs.get(address);
    if (!log) {
      mkdirSync(o.eventsDir!, { recursive: true });
      log = createWriteStream(join(o.eventsDir!, `${address}.xml`));
      log.write('<?xml version="1.0" encoding="UTF-8"?>\n<Events>\n');
      logs.set(address, log);
    }
    return log;
  };
  const options = { seed: Number(o.seed), storyEveryMinutes: HISTORY_STORY_EVERY_MINUTES, rate: 1 };
  for (const piece of history(untilOf(o), Number(o.days), options, nodeSnmpCrypto)) {
    if (piece.to === "capture") waiting.push(piece.bytes);
    else if (o.eventsDir !== undefined) {
      const log = logOf(piece.device.address);
      log.write(piece.bytes);
      log.write("\n");
    }
    if (waiting.length >= 1_000) await flush();
  }
  await flush();
  for (const log of logs.values()) await new Promise<void>((done) => log.end("</Events>\n", done));
}

function runLive({ seed, rate, tokenFile }: { seed: string; rate: string; tokenFile?: string }): void {
  const config = loadConfig(process.env);
  const token = tokenFile !== undefined && existsSync(tokenFile) ? readFileSync(tokenFile, "utf8").trim() : null;
  const devices = new LiveDevices(
    {
      host: "127.0.0.1",
      syslogUdp: config.HALVIK_SYSLOG_UDP_PORT,
      syslogTcp: config.HALVIK_SYSLOG_TCP_PORT,
      syslogTls: config.HALVIK_SYSLOG_TLS_PORT,
      snmp: config.HALVIK_SNMP_PORT,
      flow: {
        "NetFlow v5": config.HALVIK_NETFLOW_PORT,
        "NetFlow v9": config.HALVIK_NETFLOW_PORT,
        IPFIX: config.HALVIK_IPFIX_PORT,
        "sFlow v5": config.HALVIK_SFLOW_PORT,
      },
      events:
        token === null
          ? null
          : {
              host: "127.0.0.1",
              port: config.HALVIK_INTAKE_PORT,
              token,
              bookmarkFile: join(config.HALVIK_DATA_DIR, "forwarder-bookmark"),
            },
    },
    { seed: Number(seed), storyEveryMinutes: LIVE_STORY_EVERY_MINUTES, rate: Number(rate) },
    nodeSnmpCrypto,
    nowUs,
  );
  devices.start();
  const end = () => void devices.stop().then(() => process.exit(0));
  for (const signal of ["SIGTERM", "SIGINT"] as const) process.once(signal, end);
  process.once("disconnect", end);
  process.send?.("ready");
}
