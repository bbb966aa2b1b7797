import { existsSync, readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import type { DecodeProblem, JsonBytes } from "@halvik/core/base/bytes";
import { isZone } from "@halvik/core/base/time";
import type { InterfaceMeasure } from "@halvik/core/decode/flow";
import { MeteredCapture } from "@halvik/core/decode/meter";
import { MibError, type MibModule, parseMib } from "@halvik/core/decode/mib";
import { AUTH_PROTOCOLS, PRIV_PROTOCOLS, UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import { sentenceOf } from "@halvik/core/meaning/sentence";
import { type RecordContent, writeContent } from "@halvik/core/model/record";
import { Command, Option } from "commander";
import * as z from "zod";
import type { Arrival, Protocol } from "../domains/intake/arrivals/arrival.js";
import type { InputMessage } from "../domains/intake/imports/input-message.js";
import { readInput } from "../domains/intake/imports/read-input.js";
import { Decoders, PLAIN_SETTINGS } from "../domains/intake/pipeline/decoders.js";
import { loneSender } from "../domains/intake/senders/registry.js";
import { type Names, shippedNames } from "../domains/names/repository.js";
import { nowUs } from "../kernel/clock.js";
import { nodeSnmpCrypto } from "../kernel/snmp-crypto.js";
import { recordInPlace } from "../store/record-columns.js";
import { LineOutput } from "./line-output.js";
import { openInput } from "./open-input.js";
import { readTimeOption } from "./time-option.js";

const KINDS = ["auto", "syslog", "snmp", "flow", "windows", "firewall", "json", "packet"] as const;

const NO_ID = { us: 0, collector: 0 };
/** Who captured is not said: the unspecified address. */
const NOBODY = "0.0.0.0";

interface DecodeOptions {
  readonly kind: (typeof KINDS)[number];
  readonly zone: string;
  readonly received?: string;
  readonly usm?: string;
  readonly mib?: string;
  readonly meter?: boolean;
  readonly keepQueries?: boolean;
}

/** Users of SNMPv3 in a file: JSON, an array of these. */
const UsmFile = z.array(
  z.object({
    name: z.string().min(1),
    authProtocol: z.enum(AUTH_PROTOCOLS).optional(),
    authPassword: z.string().min(8).optional(),
    privProtocol: z.enum(PRIV_PROTOCOLS).optional(),
    privPassword: z.string().min(8).optional(),
  }),
);

export const decodeCommand = (): Command =>
  new Command("decode")
    .argument("<file>", 'the file; "-" is standard input')
    .addOption(new Option("--kind <kind>", "kind of record").choices(KINDS).default("auto", "recognised by content"))
    .option("--zone <zone>", "zone of stamps that name none", "UTC")
    .option("--received <time>", "arrival of bare text (RFC 3339); it also supplies the year")
    .option("--usm <file>", "users of SNMPv3, as JSON (docs/decode.md)")
    .option("--meter", "of a capture: flows of its packets, and what they say, instead of the messages in it")
    .option("--keep-queries", "with --meter: what stands behind the ? of requests is shown too")
    .option("--mib <dir>", "directory of SNMP modules (*.mib, *.txt, *.my) whose names are added to the standard ones")
    .action(async (file: string, options: DecodeOptions) => {
      if (!isZone(options.zone))
        throw new Error(`--zone: expected an IANA zone such as Europe/Oslo, got "${options.zone}"`);
      const receivedUs = options.received === undefined ? nowUs() : readTimeOption(options.received);
      process.stdout.on("error", (e: NodeJS.ErrnoException) => process.exit(e.code === "EPIPE" ? 0 : 1));
      const meter = options.meter
        ? new MeteredCapture(NOBODY, 0, { keepsQueries: options.keepQueries === true })
        : null;
      const whole = options.kind === "snmp" || options.kind === "flow" ? options.kind : null;
      const output = new LineOutput(process.stdout);
      const decoder = new FileDecoder(options, receivedUs, output);
      try {
        for await (const messages of readInput(openInput(file), whole, meter))
          for (const message of messages) {
            decoder.decode(message);
            const room = output.room();
            if (room !== undefined) await room;
          }
      } finally {
        // what was read before a failure is told, too
        output.flush();
      }
    });

/** Says the messages of a file in lines, each an object of JSON. */
class FileDecoder {
  private readonly decoders = new Decoders();
  private readonly sender;
  private readonly naming: Pick<Names, "meanings" | "mib" | "applications"> & {
    senderName: string;
    readonly interfaceName: () => null;
  };
  private peer = "";

  constructor(
    private readonly options: DecodeOptions,
    private readonly receivedUs: number,
    private readonly output: LineOutput,
  ) {
    this.sender = loneSender(options.zone);
    const names = shippedNames(options.mib === undefined ? [] : readModules(options.mib));
    this.naming = { ...names, senderName: "", interfaceName: () => null };
    this.decoders.settings = {
      ...PLAIN_SETTINGS,
      maxBehindUs: Number.POSITIVE_INFINITY,
      ...(options.usm === undefined ? {} : { users: readUsers(options.usm) }),
    };
  }

  decode(message: InputMessage): void {
    if (message.type === "problem") this.error(`{"frame":${message.frame}`, message.problem);
    else if (message.type === "bad item") this.error(`{"line":${message.line}`, message.problem);
    else if (message.type === "item")
      this.lines(`{"line":${message.line}`, this.arrival(message.protocol, "", this.receivedUs, message.bytes));
    else {
      const where = `{"frame":${message.frame},"peer":"${message.src}","transport":"${message.transport}"`;
      const at = message.timeUs ?? this.receivedUs;
      const arrival = this.arrival(message.protocol, message.src, at, message.bytes);
      this.lines(where, { ...arrival, cut: message.cut ?? false });
    }
  }

  /** A line of JSON. @param where the message stands: members of an object, whose brace closes behind what it says */
  private say(where: string, write: (json: JsonBytes) => void): void {
    this.output.line((json) => {
      json.ascii(where);
      write(json);
      json.ascii("}");
    });
  }

  private error(where: string, problem: DecodeProblem): void {
    this.say(where, (json) => {
      json.ascii(',"error":');
      json.value(problem);
    });
  }

  private arrival(protocol: Protocol, peer: string, receivedUs: number, bytes: Uint8Array): Arrival {
    return { protocol, endpoint: "decode", peer, receivedUs, bytes, held: false };
  }

  private lines(where: string, arrival: Arrival): void {
    this.peer = arrival.peer;
    this.decoders.begin();
    const decoded = this.decoders.decode(arrival, this.sender);
    const { agent, measures, undecodable } = this.decoders;
    const head = agent === null ? where : `${where},"agent":"${agent}"`;
    for (const { content } of decoded) {
      if (!this.isWanted(content)) continue;
      // what could not be read at all is an error; a message with a flaw is still a message
      if (content.problem !== null && content.kind !== "syslog" && content.event === null && content.text === "")
        this.error(where, content.problem);
      else {
        const sentence = this.sentence(content);
        this.say(head, (json) => {
          json.ascii(',"sentence":');
          json.text(sentence);
          writeContent(content, json);
        });
      }
    }
    if (this.options.kind === "auto" || this.options.kind === "flow")
      for (const { measure } of measures)
        this.say(head, (json) => {
          json.ascii(',"counters":');
          json.value(measureToJson(measure));
        });
    for (const { problem } of undecodable) this.error(where, problem);
  }

  /** The sentence of a record nobody stored: its sender is known by host or address alone. */
  private sentence(content: RecordContent): string {
    const stored = { id: NO_ID, sender: 1, endpoint: "decode", copyOf: null, content };
    this.naming.senderName = content.host ?? (this.peer || "the sender");
    return sentenceOf(recordInPlace(stored), this.naming);
  }

  private isWanted({ kind }: RecordContent): boolean {
    return this.options.kind === "auto" || this.options.kind === kind;
  }
}

/** Counters of 64 bits as text: a reader of JSON may not hold them otherwise. */
const measureToJson = (measure: InterfaceMeasure): object =>
  Object.fromEntries(Object.entries(measure).map(([k, v]) => [k, typeof v === "bigint" ? String(v) : v]));

function readModules(dir: string): MibModule[] {
  if (!existsSync(dir)) throw new Error(`--mib: there is no directory ${dir}`);
  return readdirSync(dir)
    .filter((f) => /\.(mib|txt|my)$/i.test(f))
    .sort()
    .flatMap((f) => {
      try {
        return parseMib(readFileSync(join(dir, f), "utf8"));
      } catch (e) {
        if (e instanceof MibError) throw new Error(`--mib: ${f}: ${e.message}`);
        throw e;
      }
    });
}

function readUsers(file: string): UsmUsers {
  if (!existsSync(file)) throw new Error(`--usm: there is no file ${file}`);
  let value: unknown;
  try {
    value = JSON.parse(readFileSync(file, "utf8"));
  } catch (e) {
    throw new Error(`--usm: ${file} is no JSON: ${(e as Error).message}`);
  }
  const parsed = UsmFile.safeParse(value);
  if (!parsed.success)
    throw new Error(`--usm: ${parsed.error.issues.map((i) => `${i.path.join(".")}: ${i.message}`).join("; ")}`);
  return new UsmUsers(
    parsed.data.map((u) => usmUser(nodeSnmpCrypto, u)),
    nodeSnmpCrypto,
  );
}
