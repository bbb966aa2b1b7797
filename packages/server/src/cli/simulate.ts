import { historyCapture, LiveDevices, roster } from "@halvik/simulator";
import { Command } from "commander";
import { nowUs } from "../config/clock.js";
import { loadConfig } from "../config/config.js";
import { exportSenders } from "../exchange/senders-csv.js";
import { readTimeOption } from "../jobs/import-file.js";

const HISTORY_STORY_EVERY_MINUTES = 149;
const LIVE_STORY_EVERY_MINUTES = 2;

export const simulateCommand = (): Command =>
  new Command("simulate")
    .description("stand-in devices of an invented company, Orvane Ferries")
    .addCommand(
      new Command("senders")
        .description("print its devices as a list of senders")
        .action(() => void process.stdout.write(exportSenders(roster()))),
    )
    .addCommand(
      new Command("history")
        .description("write what they sent as a pcap capture to standard output")
        .option("--days <n>", "days of history", "7")
        .option("--seed <n>", "seed of its chances", "1")
        .option("--until <time>", "end of the history (RFC 3339; default: now)")
        .action(async ({ days, seed, until }: { days: string; seed: string; until?: string }) => {
          process.stdout.on("error", () => process.exit(0));
          let waiting: Uint8Array[] = [];
          const flush = async () => {
            const more = process.stdout.write(Buffer.concat(waiting));
            waiting = [];
            if (!more) await new Promise((resolve) => process.stdout.once("drain", resolve));
          };
          for (const piece of historyCapture(until === undefined ? nowUs() : readTimeOption(until), Number(days), {
            seed: Number(seed),
            storyEveryMinutes: HISTORY_STORY_EVERY_MINUTES,
            rate: 1,
          })) {
            waiting.push(piece);
            if (waiting.length >= 1_000) await flush();
          }
          await flush();
        }),
    )
    .addCommand(
      new Command("live")
        .description("send real packets to this machine's collector until stopped")
        .option("--seed <n>", "seed of its chances", "1")
        .option("--rate <n>", "ordinary traffic, as a multiple of a usual day", "1")
        .action(({ seed, rate }: { seed: string; rate: string }) => {
          const config = loadConfig(process.env);
          const devices = new LiveDevices(
            { host: "127.0.0.1", udpPort: config.HALVIK_SYSLOG_UDP_PORT, tcpPort: config.HALVIK_SYSLOG_TCP_PORT },
            { seed: Number(seed), storyEveryMinutes: LIVE_STORY_EVERY_MINUTES, rate: Number(rate) },
            nowUs,
          );
          devices.start();
          const end = () => {
            devices.stop();
            process.exit(0);
          };
          for (const signal of ["SIGTERM", "SIGINT"] as const) process.once(signal, end);
          process.once("disconnect", end);
          process.send?.("ready");
        }),
    );
