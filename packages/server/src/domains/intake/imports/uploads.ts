import { type ChildProcess, spawn } from "node:child_process";
import { existsSync, unlinkSync } from "node:fs";
import { basename, join } from "node:path";
import { nowUs } from "../../../kernel/clock.js";
import { uploadsDir } from "../../../kernel/config/data-dir.js";
import type { Pool } from "../../../kernel/db/pool.js";
import { INPUT_ON_STDIN } from "../../../kernel/role-input.js";
import { endJob, failJob, nextUpload } from "./repository.js";

/** Reads uploaded files in, one after another, each in a process of its own: reading millions of records must hold nothing up. */
export class Uploads {
  private child: ChildProcess | null = null;
  private looking = false;

  /** @param input what the process is given, as the role itself was */
  constructor(
    private readonly db: Pool,
    private readonly dataDir: string,
    private readonly input: string,
  ) {}

  /** Starts the oldest waiting file, if none is being read. */
  async look(): Promise<void> {
    if (this.child || this.looking) return;
    this.looking = true;
    try {
      await this.next();
    } finally {
      this.looking = false;
    }
  }

  private async next(): Promise<void> {
    const next = await nextUpload(this.db);
    if (next === null) return;
    // whatever stands there, it is a file of ours in the one place for them
    const job = { ...next, file: join(uploadsDir(this.dataDir), basename(next.file)) };
    // one that ran when the collector stopped has nobody who ends it
    const gone = job.state !== "waiting" ? "cancelled" : existsSync(job.file) ? null : "failed";
    if (gone !== null)
      return this.end(
        job,
        gone,
        gone === "failed" ? "the uploaded file is gone" : "stopped before it was read to its end",
      );
    const args = [
      "import",
      job.file,
      "--job",
      String(job.id),
      "--name",
      job.name,
      ...(job.peer ? ["--peer", job.peer] : []),
      ...(job.metered ? ["--meter"] : []),
    ];
    const child = spawn(process.execPath, [process.argv[1]!, ...args], {
      stdio: ["pipe", "ignore", "pipe"],
      env: { ...process.env, ...INPUT_ON_STDIN },
    });
    child.stdin.on("error", () => undefined);
    child.stdin.end(this.input);
    let said = "";
    child.stderr.on("data", (b: Buffer) => {
      said = (said + b.toString()).slice(-2_000);
    });
    this.child = child;
    child.once("exit", (code) => {
      this.child = null;
      if (existsSync(job.file)) unlinkSync(job.file);
      const why =
        said
          .trim()
          .split("\n")[0]
          ?.replace(/^halvik: /, "") || `it ended with ${code}`;
      if (code !== 0) void failJob(this.db, job.id, why, nowUs()).catch(() => undefined);
    });
  }

  stop(): void {
    this.child?.kill();
  }

  private async end(job: { id: number; file: string }, state: "cancelled" | "failed", message: string): Promise<void> {
    if (existsSync(job.file)) unlinkSync(job.file);
    await endJob(this.db, job.id, { state, message }, nowUs());
  }
}
