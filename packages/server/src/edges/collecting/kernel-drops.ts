import { readFile } from "node:fs/promises";

/** The kernel's count of datagrams it dropped at a UDP port because nobody emptied the socket in time. */
export class KernelDrops {
  private seen: number | null = null;

  constructor(private readonly port: number) {}

  /** @returns how many were dropped since the last call; 0 at the first, and where the kernel does not tell */
  async fresh(): Promise<number> {
    const drops = await this.read();
    const before = this.seen;
    this.seen = drops;
    return drops === null || before === null ? 0 : Math.max(0, drops - before);
  }

  /** The drops column of /proc/net/udp and udp6 for this port; null where there is no such file. */
  private async read(): Promise<number | null> {
    const hexPort = this.port.toString(16).toUpperCase().padStart(4, "0");
    let drops: number | null = null;
    for (const file of ["/proc/net/udp", "/proc/net/udp6"]) {
      const text = await readFile(file, "utf8").catch(() => "");
      for (const line of text.split("\n").slice(1)) {
        const columns = line.trim().split(/\s+/);
        if (columns[1]?.endsWith(`:${hexPort}`)) drops = (drops ?? 0) + Number(columns[columns.length - 1]);
      }
    }
    return drops;
  }
}
