import { type ChildProcess, spawn } from "node:child_process";
import { existsSync } from "node:fs";

const PROGRAM = "/usr/bin/tcpdump";
/** Who it reads packets as once it has opened the interface, begun as root: Debian makes this user with it. */
export const TCPDUMP_USER = "tcpdump";
const READY = "listening on";
const STATISTICS_MS = 60_000;

export interface SniffOptions {
  readonly interface: string;
  /** An expression of pcap-filter(7); empty: everything. */
  readonly filter: string;
  /** Octets of each packet that are taken. */
  readonly snap: number;
  /** Packets to others are taken too: the port of a switch that mirrors. */
  readonly mirror: boolean;
}

/** Debian's tcpdump, which alone has the right to capture: its packets as a pcap stream, and how many it lost. */
export class Tcpdump {
  private readonly child: ChildProcess;
  private said = "";
  private stopping = false;
  /** Packets the kernel dropped because they were not read in time, as it last said. */
  dropped = 0;

  /** @param asRoot whether it is begun as root: it then becomes a user of its own @throws {Error} when it is not installed */
  constructor(
    options: SniffOptions,
    asRoot: boolean,
    /** Told when it captures. */
    private readonly onReady: () => void,
  ) {
    if (!existsSync(PROGRAM)) throw new Error("tcpdump is not installed: apt-get install tcpdump");
    const args = ["-i", options.interface, "-n", "-U", "-w", "-", "-s", String(options.snap)];
    if (!options.mirror) args.push("-p");
    if (asRoot) args.push("-Z", TCPDUMP_USER);
    // an expression that begins with “-” is none, and no option either
    if (options.filter !== "") args.push("--", options.filter);
    this.child = spawn(PROGRAM, args, { stdio: ["ignore", "pipe", "pipe"] });
    // it cannot be told to end: then it ends with the next packet that nobody takes
    this.child.on("error", () => this.child.stdout?.destroy());
    this.child.stderr!.on("data", (part: Buffer) => this.hear(part.toString()));
  }

  /** The stream until it ends. @throws {Error} that says what to do when it may not capture, or cannot */
  async *packets(): AsyncGenerator<Uint8Array> {
    const ended = new Promise<number | null>((done) => {
      this.child.once("close", done);
    });
    // it then says on its standard error what it has counted
    const timer = setInterval(() => this.child.kill("SIGUSR1"), STATISTICS_MS);
    try {
      for await (const chunk of this.child.stdout!) yield chunk as Uint8Array;
      if ((await ended) !== 0 && !this.stopping) throw new Error(this.reason());
    } finally {
      clearInterval(timer);
    }
  }

  stop(): void {
    this.stopping = true;
    this.child.kill("SIGINT");
  }

  private hear(text: string): void {
    if (!this.said.includes(READY) && text.includes(READY)) this.onReady();
    this.said = (this.said + text).slice(-4_000);
    const last = [...text.matchAll(/(\d{1,15}) packets? dropped by kernel/g)].pop();
    if (last) this.dropped = Number(last[1]);
  }

  private reason(): string {
    const said = this.said
      .split("\n")
      .filter((line) => !line.startsWith("tcpdump: listening"))
      .join(" ")
      .trim();
    if (/permission|not permitted/i.test(said))
      return "tcpdump may not capture: run this as root (an endpoint: start Halvik as root with HALVIK_COLLECTOR_CAPTURES=true), or allow it once by “setcap cap_net_raw,cap_net_admin=eip /usr/bin/tcpdump”, which lets everybody capture who may run it";
    return said;
  }
}
