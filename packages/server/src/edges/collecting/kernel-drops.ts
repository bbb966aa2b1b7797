import { readFile } from "node:fs/promises";

/** The kernel's count of datagrams it dropped at a UDP port because nobody emptied the socket in time. */
export class KernelDrops {
  private seen: number | null = null;

  constructor(private readonly port: number) {}

  /** @returns how many were dropped since the last call; 0 at the first, and where the kernel does not tell */
  async fresh(): Promise<number> {
    const drops = (await dropsByPort()).get(this.port) ?? null;
    const before = this.seen;
    this.seen = drops;
    return drops === null || before === null ? 0 : Math.max(0, drops - before);
  }
}

/** All endpoints ask at about the same time: the kernel walks through its whole table for each reading. */
const SHARED_MS = 250;
let reading: { readonly atMs: number; readonly drops: Promise<ReadonlyMap<number, number>> } | null = null;

function dropsByPort(): Promise<ReadonlyMap<number, number>> {
  const nowMs = performance.now();
  if (reading === null || nowMs - reading.atMs > SHARED_MS) reading = { atMs: nowMs, drops: readDrops() };
  return reading.drops;
}

/** The drops column of /proc/net/udp and udp6 by port; nothing where there is no such file. */
async function readDrops(): Promise<Map<number, number>> {
  const drops = new Map<number, number>();
  for (const file of ["/proc/net/udp", "/proc/net/udp6"]) {
    const text = await readFile(file, "utf8").catch(() => "");
    for (const line of text.split("\n").slice(1)) {
      const columns = line.trim().split(/\s+/);
      const port = Number.parseInt(columns[1]?.split(":")[1] ?? "", 16);
      if (!Number.isNaN(port)) drops.set(port, (drops.get(port) ?? 0) + Number(columns[columns.length - 1]));
    }
  }
  return drops;
}
