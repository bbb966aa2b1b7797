import { existsSync, readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { isZone } from "@halvik/core/base/time";
import type { InterfaceMeasure } from "@halvik/core/decode/flow";
import { MeteredCapture } from "@halvik/core/decode/meter";
import { MibError, type MibModule, parseMib } from "@halvik/core/decode/mib";
import { AUTH_PROTOCOLS, PRIV_PROTOCOLS, UsmUsers, usmUser } from "@halvik/core/decode/snmp";
import { sentenceOf } from "@halvik/core/meaning/sentence";
import { contentToJson, type RecordContent } from "@halvik/core/model/record";
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
    .addOption(new Option("--kind <kind>", "kind of record").choices(KINDS).default("auto", "told by content"))
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
      const decoder = new FileDecoder(options, receivedUs);
      process.stdout.on("error", (e: NodeJS.ErrnoException) => process.exit(e.code === "EPIPE" ? 0 : 1));
      const meter = options.meter
        ? new MeteredCapture(NOBODY, 0, { keepsQueries: options.keepQueries === true })
        : null;
      const whole = options.kind === "snmp" || options.kind === "flow" ? options.kind : null;
      const output = new LineOutput(process.stdout);
      try {
        for await (const message of readInput(openInput(file), whole, meter))
          for (const line of decoder.decode(message)) {
            const drained = output.line(line);
            if (drained !== undefined) await drained;
          }
      } finally {
        // what was read before a failure is told, too
        output.flush();
      }
    });

/** Turns messages of a file into the lines printed, each an object of JSON. */
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

  *decode(message: InputMessage): Generator<string> {
    if (message.type === "problem") yield JSON.stringify({ frame: message.frame, error: message.problem });
    else if (message.type === "bad item") yield JSON.stringify({ line: message.line, error: message.problem });
    else if (message.type === "item")
      yield* this.lines({ line: message.line }, this.arrival(message.protocol, "", this.receivedUs, message.bytes));
    else {
      const at = message.timeUs ?? this.receivedUs;
      yield* this.lines(
        { frame: message.frame, peer: message.src, transport: message.transport },
        { ...this.arrival(message.protocol, message.src, at, message.bytes), cut: message.cut ?? false },
      );
    }
  }

  private arrival(protocol: Protocol, peer: string, receivedUs: number, bytes: Uint8Array): Arrival {
    return { protocol, endpoint: "decode", peer, receivedUs, bytes, held: false };
  }

  private *lines(where: object, arrival: Arrival): Generator<string> {
    this.peer = arrival.peer;
    this.decoders.begin();
    const decoded = this.decoders.decode(arrival, this.sender);
    const agent = this.decoders.agent === null ? {} : { agent: this.decoders.agent };
    for (const { content } of decoded) {
      if (!this.isWanted(content)) continue;
      // what could not be read at all is an error; a message with a flaw is still a message
      if (content.problem !== null && content.kind !== "syslog" && content.event === null && content.text === "")
        yield JSON.stringify({ ...where, error: content.problem });
      else {
        const json = contentToJson(content);
        // one object of two: making it of both takes longer than decoding what it says
        const head = JSON.stringify({ ...where, ...agent, sentence: this.sentence(content) });
        yield `${head.slice(0, -1)},${JSON.stringify(json).slice(1)}`;
      }
    }
    if (this.options.kind === "auto" || this.options.kind === "flow")
      for (const { measure } of this.decoders.measures)
        yield JSON.stringify({ ...where, ...agent, counters: measureToJson(measure) });
    for (const { problem } of this.decoders.undecodable) yield JSON.stringify({ ...where, error: problem });
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
