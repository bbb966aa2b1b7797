import { existsSync } from "node:fs";
import { join } from "node:path";
import { LogFile } from "./log-file.js";
import type { Started } from "./role-processes.js";

/** How soon a role that ended starts again; one that keeps ending waits longer each time. */
const RESTART_MS = 200;
const MOST_RESTART_MS = 10_000;
/** A role that ran for so long has not failed at its start. */
const SETTLED_MS = 30_000;
const STOP_MS = 15_000;

/** The roles as child processes: restarted when they end by themselves, ended in order when Halvik stops. */
export class Children {
  private readonly running = new Map<string, { child: Started; ended: Promise<void> }>();
  private stopping = false;

  constructor(private readonly logDir: string) {}

  /**
   * Starts a role and keeps it running.
   * @param begin starts its process
   * @returns once the role has said it is ready
   * @throws when it ends before that
   */
  start(name: string, begin: () => Promise<Started>): Promise<void> {
    const log = new LogFile(join(this.logDir, `${name}.log`));
    return new Promise((resolve, reject) => {
      let ready = false;
      let waitMs = RESTART_MS;
      const launch = async () => {
        const startedMs = performance.now();
        const child = await begin();
        let said = "";
        child.onOutput((text) => {
          said = (said + Buffer.from(text).toString()).slice(-2_000);
          log.write(text);
        });
        child.onReady(() => {
          ready = true;
          resolve();
        });
        const ended = new Promise<void>((done) =>
          child.onEnd((code, signal) => {
            this.running.delete(name);
            done();
            if (!ready) return reject(new Error(lastLine(said) || `${name} ended with ${signal ?? code}`));
            again(startedMs, String(signal ?? `exit ${code}`));
          }),
        );
        this.running.set(name, { child, ended });
        // asked to stop while it was being started
        if (this.stopping) child.kill("SIGTERM");
      };
      const again = (startedMs: number, how: string) => {
        if (this.stopping) return;
        waitMs = performance.now() - startedMs > SETTLED_MS ? RESTART_MS : Math.min(waitMs * 2, MOST_RESTART_MS);
        const where = existsSync(log.path) ? ` Its log: ${log.path}` : "";
        say(`${name} ended (${how}); it starts again at once.${where}`);
        setTimeout(() => {
          if (!this.stopping) attempt();
        }, waitMs);
      };
      const attempt = () => {
        const startedMs = performance.now();
        launch().catch((e: unknown) => (ready ? again(startedMs, (e as Error).message) : reject(e)));
      };
      attempt();
    });
  }

  /** Ends a role that does not answer any more; it starts again. */
  restart(name: string): void {
    this.running.get(name)?.child.kill("SIGKILL");
  }

  /** Ends children: groups in the given order, those of a group together. */
  async stop(order: readonly (readonly string[])[]): Promise<void> {
    this.stopping = true;
    for (const group of order)
      await Promise.all(
        group.map(async (name) => {
          const found = this.running.get(name);
          if (!found) return;
          found.child.kill("SIGTERM");
          const timer = setTimeout(() => found.child.kill("SIGKILL"), STOP_MS);
          await found.ended;
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

const lastLine = (said: string): string | undefined =>
  said
    .trim()
    .split("\n")
    .pop()
    ?.replace(/^halvik: /, "");
