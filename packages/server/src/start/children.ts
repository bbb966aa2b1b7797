import { type ChildProcess, spawn } from "node:child_process";
import { existsSync } from "node:fs";
import { join } from "node:path";
import { LogFile } from "./log-file.js";
import { roleNodeArgs } from "./role-args.js";

/** How soon a role that ended starts again; one that keeps ending waits longer each time. */
const RESTART_MS = 200;
const MOST_RESTART_MS = 10_000;
/** A role that ran for so long has not failed at its start. */
const SETTLED_MS = 30_000;
const STOP_MS = 15_000;

/** Source maps are read at the first error that any library makes: half a second of every start, for stacks that are readable without. */
const NODE_ARGS = process.execArgv.filter((arg) => arg !== "--enable-source-maps");

/** The roles as child processes: restarted when they end by themselves, ended in order when Halvik stops. */
export class Children {
  private readonly running = new Map<string, ChildProcess>();
  private stopping = false;

  constructor(
    private readonly program: string,
    private readonly logDir: string,
    private readonly env: NodeJS.ProcessEnv,
  ) {}

  /**
   * Starts a role and keeps it running.
   * @param over what its environment has beside what all have; undefined takes a variable away
   * @returns once the role has said it is ready
   * @throws when it ends before that
   */
  start(name: string, args: readonly string[], over: NodeJS.ProcessEnv = {}): Promise<void> {
    const log = new LogFile(join(this.logDir, `${name}.log`));
    return new Promise((resolve, reject) => {
      let ready = false;
      let waitMs = RESTART_MS;
      const launch = () => {
        const startedMs = performance.now();
        const child = spawn(process.execPath, [...NODE_ARGS, ...roleNodeArgs(name), this.program, ...args], {
          // its own process group: Ctrl-C reaches this process alone, which ends the roles in order
          detached: true,
          stdio: ["ignore", "pipe", "pipe", "ipc"],
          env: { ...this.env, ...over },
        });
        this.running.set(name, child);
        let said = "";
        for (const stream of [child.stdout!, child.stderr!])
          stream.on("data", (b: Buffer) => {
            said = (said + b.toString()).slice(-2_000);
            log.write(b);
          });
        child.on("message", (m) => {
          if (m === "ready") {
            ready = true;
            resolve();
          }
        });
        child.on("error", () => undefined);
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
          waitMs = performance.now() - startedMs > SETTLED_MS ? RESTART_MS : Math.min(waitMs * 2, MOST_RESTART_MS);
          const where = existsSync(log.path) ? ` Its log: ${log.path}` : "";
          say(`${name} ended (${signal ?? `exit ${code}`}); it starts again at once.${where}`);
          setTimeout(() => {
            if (!this.stopping) launch();
          }, waitMs);
        });
      };
      launch();
    });
  }

  /** Ends a role that does not answer any more; it starts again. */
  restart(name: string): void {
    this.running.get(name)?.kill("SIGKILL");
  }

  /** Ends children: groups in the given order, those of a group together. */
  async stop(order: readonly (readonly string[])[]): Promise<void> {
    this.stopping = true;
    for (const group of order)
      await Promise.all(
        group.map(async (name) => {
          const child = this.running.get(name);
          if (!child) return;
          const ended = new Promise((resolve) => child.once("exit", resolve));
          child.kill("SIGTERM");
          const timer = setTimeout(() => child.kill("SIGKILL"), STOP_MS);
          await ended;
          clearTimeout(timer);
        }),
      );
  }
}

/** Says something to whoever started Halvik; a terminal or disk that is gone is no reason to end. */
export function say(text: string): void {
  try {
    console.log(text);
  } catch {}
}
