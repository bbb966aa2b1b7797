import { spawn } from "node:child_process";
import { readdirSync, readFileSync } from "node:fs";
import { cpus, totalmem } from "node:os";
import type { HalvikRecord } from "@halvik/core/model/record";
import pg from "pg";
import { testRecord } from "../packages/core/src/testing/record.js";
import { connectionOf } from "../packages/server/src/kernel/db/pool.js";
import { RoleProcess, runCommand } from "../packages/server/src/testing/roles.js";
import { startTestInstance, type TestInstance } from "../packages/server/src/testing/test-database.js";

export const DEVICES = 100;
export const deviceAddress = (i: number): string => `127.50.${1 + Math.floor(i / 200)}.${1 + (i % 200)}`;

/** A Halvik of its own with a hundred admitted senders, and the roles asked for. */
export async function startBench(
  roles: readonly ("collector" | "engine" | "keeper" | "notifier" | "web")[],
  over: Readonly<Record<string, string>> = {},
): Promise<{
  instance: TestInstance;
  stop: () => Promise<void>;
  collector: RoleProcess;
  /** Processor seconds so far, of each role and of PostgreSQL. */
  processor: () => ReadonlyMap<string, number>;
}> {
  const instance = await startTestInstance(over);
  const rows = Array.from({ length: DEVICES }, (_, i) => `dev-${i},${deviceAddress(i)},no,Bench,bench,,UTC,,,`);
  await runCommand(
    instance.env,
    ["senders", "import", "-"],
    ["name,addresses,relay,site,groups,role,zone,reached through,expected every seconds,notes", ...rows].join("\n"),
  );
  const running: RoleProcess[] = [];
  for (const role of roles) running.push(await RoleProcess.start(instance, role));
  return {
    instance,
    collector: running[roles.indexOf("collector")]!,
    processor: () =>
      new Map([
        ...running.map((r, i) => [roles[i]!, usage(r.child.pid!).cpuSeconds] as const),
        ["PostgreSQL", postgresSeconds()] as const,
      ]),
    stop: async () => {
      for (const r of running) await r.stop();
      await instance.dispose();
    },
  };
}

export async function connect(instance: TestInstance): Promise<pg.Client> {
  const client = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await client.connect();
  return client;
}

export function sayMachine(): void {
  const rmem = readFileSync("/proc/sys/net/core/rmem_max", "utf8").trim();
  console.log(
    `${cpus().length} × ${cpus()[0]?.model}, ${(totalmem() / 2 ** 30).toFixed(0)} GiB, Node ${process.version}, net.core.rmem_max ${rmem}, ${DEVICES} devices; sender, roles and PostgreSQL on the same processors`,
  );
}

/** Sends numbered messages at a rate from a process of its own. @returns how many were sent, and their mean size */
export function sendLoad(
  instance: TestInstance,
  transport: string,
  perSecond: number,
  seconds: number,
  what: "mixed" | "storm" = "mixed",
): Promise<{ sent: number; bytes: number; tookSeconds: number }> {
  return new Promise((done, failed) => {
    const child = spawn(
      process.execPath,
      [
        "--import",
        "tsx",
        "bench/sender.ts",
        transport,
        String(instance.config.HALVIK_SYSLOG_UDP_PORT),
        String(perSecond),
        String(seconds),
        what,
      ],
      { stdio: ["ignore", "pipe", "inherit"], env: { ...process.env, NODE_OPTIONS: "" } },
    );
    let out = "";
    child.stdout.on("data", (b: Buffer) => {
      out += b.toString();
    });
    child.once("exit", (code) =>
      code === 0 ? done(JSON.parse(out)) : failed(new Error(`the sender ended with ${code}`)),
    );
  });
}

/** Records stored so far by the rollups, Halvik's own left out. */
export async function countStored(client: pg.Client): Promise<number> {
  return (
    await client.query<{ n: number }>("select coalesce(sum(count), 0)::bigint as n from rollup_hour where sender <> 0")
  ).rows[0]!.n;
}

/** Waits until the spool is empty and the count has stood still for three seconds. */
export async function settle(client: pg.Client): Promise<number> {
  let last = -1;
  for (;;) {
    const now = await countStored(client);
    const { rows } = await client.query<{ spooling: boolean }>(
      "select coalesce((detail->>'spooling')::boolean, false) as spooling from role_status where role = 'collector'",
    );
    if (now === last && !rows[0]?.spooling) return now;
    last = now;
    await new Promise((r) => setTimeout(r, 3_000));
  }
}

/** Processor seconds of all of PostgreSQL's processes, those that have ended too: nothing else of it may run beside. */
function postgresSeconds(): number {
  let ticks = 0;
  for (const pid of readdirSync("/proc"))
    if (/^\d+$/.test(pid))
      try {
        const [name, rest] = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ");
        if (!name!.endsWith("(postgres")) continue;
        // its own time, and that of children it has waited for
        for (const n of rest!.split(" ").slice(11, 15)) ticks += Number(n);
      } catch {
        // ended meanwhile: its parent has waited for it
      }
  return ticks / 100;
}

/** Processor seconds and greatest memory of a process, from /proc. */
export function usage(pid: number): { cpuSeconds: number; peakMb: number; nowMb: number } {
  const stat = readFileSync(`/proc/${pid}/stat`, "utf8").split(") ")[1]!.split(" ");
  const status = readFileSync(`/proc/${pid}/status`, "utf8");
  const peak = /VmHWM:\s+(\d+)/.exec(status);
  const now = /VmRSS:\s+(\d+)/.exec(status);
  return {
    cpuSeconds: (Number(stat[11]) + Number(stat[12])) / 100,
    peakMb: Number(peak?.[1] ?? 0) / 1024,
    nowMb: Number(now?.[1] ?? 0) / 1024,
  };
}

export const percentile = (values: readonly number[], p: number): number =>
  [...values].sort((a, b) => a - b)[Math.min(values.length - 1, Math.floor(values.length * p))]!;

/** A refused logon from an address of its own each, 100 µs apart: as many keys of the rule that counts them. */
export const refusedLogon = (n: number): HalvikRecord =>
  testRecord({
    id: String(n + 1),
    timeUs: n * 100,
    src: `10.${n >> 16}.${(n >> 8) & 255}.${n & 255}`,
    category: "logon",
    outcome: "failure",
    users: ["root"],
  });
