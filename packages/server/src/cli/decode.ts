import { syslogRecord } from "@halvik/core/normalise";
import { contentToJson } from "@halvik/core/record";
import { isZone } from "@halvik/core/time";
import { Command, Option } from "commander";
import { nowUs } from "../config/clock.js";
import { readTimeOption } from "../jobs/import-file.js";
import { type InputMessage, readInput } from "../jobs/read-input.js";
import { openInput } from "./context.js";

interface DecodeOptions {
  readonly zone: string;
  readonly received?: string;
}

export const decodeCommand = (): Command =>
  new Command("decode")
    .description("decode a text file or a pcap/pcapng capture: one JSON record a line (docs/decode.md)")
    .argument("<file>", 'the file; "-" is standard input')
    .addOption(
      new Option("--kind <kind>", "kind of message").choices(["auto", "syslog"]).default("auto", "told by content"),
    )
    .option("--zone <zone>", "zone of stamps that name none", "UTC")
    .option("--received <time>", "arrival of bare text (RFC 3339); it also supplies the year")
    .action(async (file: string, options: DecodeOptions) => {
      if (!isZone(options.zone))
        throw new Error(`--zone: expected an IANA zone such as Europe/Oslo, got "${options.zone}"`);
      const receivedUs = options.received === undefined ? nowUs() : readTimeOption(options.received);
      process.stdout.on("error", (e: NodeJS.ErrnoException) => process.exit(e.code === "EPIPE" ? 0 : 1));
      for await (const message of readInput(openInput(file))) {
        const line = JSON.stringify(decodeOne(message, options.zone, receivedUs));
        if (!process.stdout.write(`${line}\n`)) await new Promise((resolve) => process.stdout.once("drain", resolve));
      }
    });

function decodeOne(message: InputMessage, zone: string, receivedUs: number): object {
  switch (message.type) {
    case "problem":
      return { frame: message.frame, error: message.problem };
    case "too long":
      return {
        line: message.line,
        error: { code: "TOO_LONG", offset: 0, message: `line: ${message.lostBytes} bytes beyond 1 MiB were cut` },
      };
    case "line": {
      const { content } = syslogRecord(message.bytes, { zone, receivedUs, clockOffsetUs: 0 });
      return { line: message.line, ...contentToJson(content) };
    }
    case "syslog": {
      const { content } = syslogRecord(message.bytes, {
        zone,
        receivedUs: message.timeUs ?? receivedUs,
        clockOffsetUs: 0,
      });
      return { frame: message.frame, peer: message.src, transport: message.transport, ...contentToJson(content) };
    }
  }
}
