import { type ChildProcess, spawn } from "node:child_process";
import { appendFileSync } from "node:fs";
import { join } from "node:path";
import type { RunAs } from "./cluster.js";
import { roleNodeArgs } from "./role-args.js";

const RESTART_MS = 1_000;
const STOP_MS = 20_000;

/** The roles as child processes: restarted when they end by themselves, ended in order when Halvik stops. */
export class Children {
  private readonly running = new Map<string, ChildProcess>();
  private stopping = false;

  constructor(
    private readonly program: string,
    private readonly dataDir: string,
    private readonly env: NodeJS.ProcessEnv,
    private readonly runAs: RunAs | null,
  ) {}

  /**
   * Starts a role and keeps it running.
   * @param asRoot the role starts as root to bind its sockets and drops it by itself
   * @returns once the role has said it is ready
   * @throws when it ends before that
   */
  start(name: string, args: readonly string[], asRoot = false): Promise<void> {
    return new Promise((resolve, reject) => {
      let ready = false;
      const launch = () => {
        const child = spawn(process.execPath, [...process.execArgv, ...roleNodeArgs(name), this.program, ...args], {
          // its own process group: Ctrl-C reaches this process alone, which ends the roles in order
          detached: true,
          stdio: ["ignore", "pipe", "pipe", "ipc"],
          env: {
            ...this.env,
            ...(this.runAs
              ? { HALVIK_RUN_AS_UID: String(this.runAs.uid), HALVIK_RUN_AS_GID: String(this.runAs.gid) }
              : {}),
          },
          ...(this.runAs && !asRoot ? this.runAs : {}),
        });
        this.running.set(name, child);
        let said = "";
        for (const stream of [child.stdout!, child.stderr!])
          stream.on("data", (b: Buffer) => {
            said = (said + b.toString()).slice(-2_000);
            appendFileSync(join(this.dataDir, `${name}.log`), b);
          });
        child.on("message", (m) => {
          if (m === "ready") {
            ready = true;
            resolve();
          }
        });
        child.once("exit", (code, signal) => {
          this.running.delete(name);
          if (!ready)
            return reject(
              new Error(
                said
                  .trim()
                  .split("\n")
                  .pop()
                  ?.replace(/^halvik: /, "") || `${name} ended with ${signal ?? code}`,
              ),
            );
          if (this.stopping) return;
          console.log(
            `${name} ended (${signal ?? `exit ${code}`}); it starts again in 1 s. Its log: ${join(this.dataDir, `${name}.log`)}`,
          );
          setTimeout(() => {
            if (!this.stopping) launch();
          }, RESTART_MS);
        });
      };
      launch();
    });
  }

  /** Ends children in the given order, each after the one before it. */
  async stop(order: readonly string[]): Promise<void> {
    this.stopping = true;
    for (const name of order) {
      const child = this.running.get(name);
      if (!child) continue;
      const ended = new Promise((resolve) => child.once("exit", resolve));
      child.kill("SIGTERM");
      const timer = setTimeout(() => child.kill("SIGKILL"), STOP_MS);
      await ended;
      clearTimeout(timer);
    }
  }
}
