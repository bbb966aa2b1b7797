import { type ChildProcessWithoutNullStreams, spawn } from "node:child_process";
import { lookup } from "node:dns/promises";
import { join } from "node:path";
import { createInterface, type Interface } from "node:readline";
import { shippedDir } from "../../../kernel/files/shipped.js";
import type { Arrival } from "../../intake/arrivals/arrival.js";
import { DELIVER_MS, isLinkLocal, RefusedForGood, type Way } from "./way.js";

const PERL = "/usr/bin/perl";
const PROGRAM = "send-as.pl";
/** Given to the program at once; it says of each what became of it. */
const AT_ONCE = 250;
/** The length of UDP and its header has 16 bits (RFC 768). */
const MOST_OCTETS = 65_535 - 8;
const SAID_MOST = 300;

const MAY_NOT =
  "this system does not let Halvik send with another's address: start Halvik as root with HALVIK_FORWARD_AS_SENDER=true, or send from its own address";

/** A program that sends for us, and what it says of each datagram in turn. */
interface Helper {
  readonly child: ChildProcessWithoutNullStreams;
  readonly answers: AsyncIterator<string>;
  readonly lines: Interface;
  /** When it has ended and all it said was read: its last words come by another pipe than its answers, and may come after them. */
  readonly over: Promise<void>;
  lastWords: string;
}

/**
 * Datagrams with the address of whoever sent them to us as their source, so that the receiver tells senders apart as if they sent to it.
 * A closed port is not told: that answer goes to the sender. What cannot come from its sender (another family of addresses than the
 * receiver's) comes from this machine.
 */
export class AsSender implements Way {
  private helper: Helper | null = null;

  constructor(
    private readonly host: string,
    private readonly port: number,
    private readonly octetsOf: (arrival: Arrival) => Uint8Array,
  ) {}

  async deliver(arrivals: readonly Arrival[]): Promise<void> {
    this.helper ??= await this.open();
    const { child } = this.helper;
    const late = setTimeout(() => child.kill("SIGKILL"), DELIVER_MS);
    try {
      for (let from = 0; from < arrivals.length; from += AT_ONCE)
        await this.send(this.helper, arrivals.slice(from, from + AT_ONCE));
    } catch (e) {
      // what is too large is no fault of the program: it goes on with the next
      if (!(e instanceof RefusedForGood)) this.close();
      throw e;
    } finally {
      clearTimeout(late);
    }
  }

  private async send(helper: Helper, arrivals: readonly Arrival[]): Promise<void> {
    const { child, answers } = helper;
    const frames = arrivals.map((a) => frameOf(a.peer, this.octetsOf(a)));
    child.stdin.write(Buffer.concat(frames));
    let wrong: string | null = null;
    for (let i = 0; i < frames.length; i++) {
      const { value, done } = await answers.next();
      if (done) throw new Error(await reasonOf(helper));
      if (value !== "sent") wrong ??= value;
    }
    if (wrong === "too big") throw new RefusedForGood("larger than a datagram can be");
    if (wrong !== null) throw new Error(wrong === "may not" ? MAY_NOT : wrong);
  }

  private async open(): Promise<Helper> {
    const addresses = (await lookup(this.host, { all: true })).map((a) => a.address);
    const bad = addresses.find(isLinkLocal);
    if (bad !== undefined) throw new Error(`${bad} is of the link alone: nothing is sent there`);
    const child = spawn(PERL, [join(shippedDir("linux"), PROGRAM), String(this.port), ...addresses], {
      env: { LANG: "C.UTF-8" },
    });
    const lines = createInterface({ input: child.stdout });
    const over = new Promise<void>((done) => child.once("close", () => done()).once("error", () => done()));
    const helper: Helper = { child, lines, answers: lines[Symbol.asyncIterator](), over, lastWords: "" };
    child.stderr.setEncoding("utf8").on("data", (part: string) => {
      helper.lastWords = (helper.lastWords + part).slice(0, SAID_MOST);
    });
    // that it has ended is told by its answers
    child.stdin.on("error", () => undefined);
    child.on("error", (e) => {
      helper.lastWords = e.message;
      lines.close();
    });
    return helper;
  }

  close(): void {
    this.helper?.lines.close();
    this.helper?.child.kill();
    this.helper = null;
  }
}

async function reasonOf(helper: Helper): Promise<string> {
  await helper.over;
  const said = helper.lastWords.trim();
  return `the program that sends for others ended${said === "" ? "" : `: ${said}`}`;
}

function frameOf(source: string, octets: Uint8Array): Buffer {
  if (octets.length > MOST_OCTETS) throw new RefusedForGood("larger than a datagram can be");
  const frame = Buffer.alloc(4 + source.length + octets.length);
  frame.writeUInt16BE(source.length, 0);
  frame.writeUInt16BE(octets.length, 2);
  frame.write(source, 4, "latin1");
  frame.set(octets, 4 + source.length);
  return frame;
}
