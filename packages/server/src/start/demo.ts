import { spawn } from "node:child_process";
import { existsSync, mkdirSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { OWN_NETWORKS } from "@halvik/core/model/senders";

/** Where the demo's forwarder finds its token. */
export const demoTokenFile = (dataDir: string): string => join(dataDir, "demo-token");

const EXPECTED_MESSAGES = 900_000;

type Step = <T>(what: string, work: () => Promise<T> | T) => Promise<T>;

/** Whose mirrored port was captured for a while. */
const CORE = "10.20.1.13";

/** What the demo's links carry. */
const LINKS = [
  ["rt-orvane", "100M"],
  ["rt-hestnes", "100M"],
  ["rt-lysgrund", "50M"],
  ["gw-brisling", "20M"],
] as const;

/**
 * Loads the demo once, by the commands anyone can use: a list of senders, a module, a user, a token, a capture and event logs. No
 * code of Halvik knows the demo's devices.
 */
export function loadDemo(
  program: string,
  dataDir: string,
  env: NodeJS.ProcessEnv,
  step: Step,
  /** Of its chances. */
  seed = 1,
): { done: Promise<void>; cancel: () => void } {
  const marker = join(dataDir, "demo-loaded");
  const eventsDir = join(dataDir, "demo-events");
  let cancelled = false;
  const running: ReturnType<typeof spawn>[] = [];

  const run = (args: readonly string[], stdio: ["ignore" | "pipe", "inherit" | "pipe" | "ignore", "inherit"]) => {
    const child = spawn(process.execPath, [program, ...args], { env, detached: true, stdio });
    running.push(child);
    return child;
  };
  const ended = (child: ReturnType<typeof spawn>, args: readonly string[]) =>
    new Promise<void>((resolve, reject) =>
      child.once("exit", (code) =>
        code === 0 || cancelled ? resolve() : reject(new Error(`${args.slice(0, 2).join(" ")} ended with ${code}`)),
      ),
    );
  const command = (args: readonly string[]) => ended(run(args, ["ignore", "inherit", "inherit"]), args);
  const output = async (args: readonly string[]): Promise<string> => {
    const child = run(args, ["ignore", "pipe", "inherit"]);
    let out = "";
    child.stdout!.on("data", (b: Buffer) => {
      out += b.toString();
    });
    await ended(child, args);
    return out.trim();
  };
  const pipe = (producer: readonly string[], consumer: readonly string[]) => {
    const from = run(producer, ["ignore", "pipe", "inherit"]);
    const to = run(consumer, ["pipe", "inherit", "inherit"]);
    from.stdout!.pipe(to.stdin!);
    to.stdin!.on("error", () => from.kill());
    return ended(to, consumer);
  };

  const work = async () => {
    if (existsSync(marker)) return;
    await step("Loading the demo's senders, names and users", async () => {
      await pipe(["simulate", "senders"], ["senders", "import", "-"]);
      await command(["domains", "add", "orvane.example", "ORVANE"]);
      for (const [router, carries] of LINKS)
        await command(["interfaces", "set", router, "1", "--name", "wan0", "--carries", carries]);
      await pipe(["simulate", "networks"], ["lists", "add", OWN_NETWORKS, "-"]);
      await pipe(["simulate", "mib"], ["mibs", "add", "-"]);
      await command(["endpoints", "set", "SNMP notifications", "--community", await output(["simulate", "community"])]);
      await command(["snmp-users", "add", ...(await output(["simulate", "snmp-user"])).split(" ")]);
      await command(["routes", "add", "duty", "--to", "duty@orvane.example"]);
      if (cancelled || existsSync(demoTokenFile(dataDir))) return;
      const token = await output(["token", "create", `stand-in forwarder ${process.pid}`, "--intake"]);
      writeFileSync(demoTokenFile(dataDir), token, { mode: 0o600 });
    });
    if (cancelled) return;
    console.log("Loading 7 days of history; the interface answers meanwhile …");
    const started = performance.now();
    mkdirSync(eventsDir, { recursive: true, mode: 0o700 });
    const until = new Date().toISOString();
    await pipe(
      ["simulate", "history", "--seed", String(seed), "--until", until, "--events-dir", eventsDir],
      ["import", "-", "--name", "history of Orvane Ferries", "--rules", "--total", String(EXPECTED_MESSAGES)],
    );
    for (const file of readdirSync(eventsDir)) {
      if (cancelled) return;
      await command([
        "import",
        join(eventsDir, file),
        "--name",
        `events of ${file.replace(/\.xml$/, "")}`,
        "--peer",
        file.replace(/\.xml$/, ""),
        "--rules",
      ]);
    }
    if (cancelled) return;
    await pipe(
      ["simulate", "capture", "--seed", String(seed), "--until", until],
      ["import", "-", "--name", "capture at the core of Orvane", "--meter", "--peer", CORE],
    );
    rmSync(eventsDir, { recursive: true, force: true });
    console.log(`History loaded in ${((performance.now() - started) / 1000).toFixed(1)} s`);
    writeFileSync(marker, "");
  };
  return {
    done: work(),
    cancel: () => {
      cancelled = true;
      for (const child of running) child.kill();
    },
  };
}
