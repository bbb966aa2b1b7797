import { spawn, spawnSync } from "node:child_process";
import { appendFileSync, chownSync, existsSync, mkdirSync, readFileSync, unlinkSync, writeFileSync } from "node:fs";
import { connect } from "node:net";
import { totalmem } from "node:os";
import { join } from "node:path";
import pg from "pg";
import type { Config } from "../kernel/config/config.js";
import type { Secrets } from "../kernel/config/secrets.js";
import { connectionOf, DB_OWNER } from "../kernel/db/pool.js";
import type { RunAs } from "../kernel/files/owners.js";
import { StartError } from "../kernel/start-error.js";
import { PROCESS_ROLES, roleName } from "../store/grants.js";

export const POSTGRES_BIN = "/usr/lib/postgresql/15/bin";

/** Halvik's own PostgreSQL cluster in the data directory: loopback only, scram, no Unix socket. */
export class Cluster {
  private readonly directory: string;
  private readonly logFile: string;

  constructor(
    private readonly config: Config,
    private readonly secrets: Secrets,
    private readonly runAs: RunAs | null,
  ) {
    this.directory = join(config.HALVIK_DATA_DIR, "postgres");
    this.logFile = join(config.HALVIK_DATA_DIR, "postgres.log");
  }

  /** Makes the cluster if there is none, starts it if it does not run. */
  async start(): Promise<void> {
    const fresh = !existsSync(join(this.directory, "PG_VERSION"));
    if (fresh) await this.initialise();
    if (!this.isRunning()) {
      await this.requireFreePort();
      const code = await this.run("pg_ctl", ["-D", this.directory, "-l", this.logFile, "-w", "-t", "120", "start"]);
      if (code.status !== 0) throw new StartError(`PostgreSQL does not start: ${this.lastLogLine()}`);
    }
    await this.ensureDatabase();
  }

  async stop(): Promise<void> {
    if (this.isRunning()) await this.run("pg_ctl", ["-D", this.directory, "-m", "fast", "-w", "-t", "60", "stop"]);
  }

  /** Whether the server's own process lives: looked up by its PID file, without running anything. */
  isAlive(): boolean {
    try {
      const pid = Number(readFileSync(join(this.directory, "postmaster.pid"), "utf8").split("\n")[0]);
      process.kill(pid, 0);
      return true;
    } catch (e) {
      // of another user, when this one is not it: it lives
      return (e as NodeJS.ErrnoException).code === "EPERM";
    }
  }

  /** Asked of PostgreSQL itself where a PID file names a process that lives: after a power cut it may be any other program's. */
  private isRunning(): boolean {
    if (!this.isAlive()) return false;
    const args = ["-D", this.directory, "status"];
    return spawnSync(join(POSTGRES_BIN, "pg_ctl"), args, { cwd: "/", ...this.runAs }).status === 0;
  }

  private async initialise(): Promise<void> {
    mkdirSync(this.directory, { recursive: true, mode: 0o700 });
    const passwordFile = join(this.config.HALVIK_DATA_DIR, ".initdb-password");
    writeFileSync(passwordFile, this.secrets.dbOwnerPassword, { mode: 0o600 });
    if (this.runAs) for (const path of [this.directory, passwordFile]) chownSync(path, this.runAs.uid, this.runAs.gid);
    try {
      const made = await this.run("initdb", [
        "-D",
        this.directory,
        "-U",
        DB_OWNER,
        "-A",
        "scram-sha-256",
        `--pwfile=${passwordFile}`,
        "-E",
        "UTF8",
        "--locale=C.UTF-8",
      ]);
      if (made.status !== 0)
        throw new StartError(
          `the database cluster cannot be made in ${this.directory}: ${made.output.trim().split("\n").pop()}`,
        );
    } finally {
      unlinkSync(passwordFile);
    }
    appendFileSync(
      join(this.directory, "postgresql.conf"),
      "\n# Halvik: written at every start\ninclude = 'halvik.conf'\n",
    );
  }

  private async requireFreePort(): Promise<void> {
    this.writeSettings();
    const taken = await new Promise<boolean>((resolve) => {
      const socket = connect({ host: "127.0.0.1", port: this.config.HALVIK_DB_PORT });
      socket.once("connect", () => {
        socket.destroy();
        resolve(true);
      });
      socket.once("error", () => resolve(false));
    });
    if (taken)
      throw new StartError(
        `port ${this.config.HALVIK_DB_PORT}, meant for the database, is taken by another program; choose one with HALVIK_DB_PORT`,
      );
  }

  /** Settings measured in docs/storage.md. */
  private writeSettings(): void {
    const mb = Math.floor(totalmem() / 1_048_576);
    const settings = {
      listen_addresses: "'127.0.0.1'",
      port: this.config.HALVIK_DB_PORT,
      unix_socket_directories: "''",
      max_connections: 60,
      shared_buffers: `${Math.max(128, Math.min(8_192, Math.floor(mb / 5)))}MB`,
      maintenance_work_mem: `${Math.min(1_024, Math.floor(mb / 16))}MB`,
      work_mem: "64MB",
      max_wal_size: "4GB",
      wal_compression: "lz4",
      // what is long is packed and unpacked several times as fast as by default, for little more room
      default_toast_compression: "lz4",
      checkpoint_timeout: "15min",
      jit: "off",
      random_page_cost: 1.1,
      // a process on another machine that has gone without a word gives its place up within a minute
      tcp_keepalives_idle: 30,
      tcp_keepalives_interval: 10,
      tcp_keepalives_count: 3,
      // what was sealed is vacuumed soon (`segments.make_statistics`)
      autovacuum_naptime: "15s",
      // one file a weekday, begun anew a week later: what is said takes no more disk than a week of it
      logging_collector: "on",
      log_filename: "'postgres-%a.log'",
      log_truncate_on_rotation: "on",
      log_rotation_age: "1d",
      log_rotation_size: 0,
      // a statement may hold what was received
      log_min_error_statement: "panic",
      timezone: "'UTC'",
      log_timezone: "'UTC'",
    };
    const file = join(this.directory, "halvik.conf");
    writeFileSync(
      file,
      Object.entries(settings)
        .map(([k, v]) => `${k} = ${v}\n`)
        .join(""),
      { mode: 0o600 },
    );
    if (this.runAs) chownSync(file, this.runAs.uid, this.runAs.gid);
  }

  private async ensureDatabase(): Promise<void> {
    const admin = new pg.Client({ ...connectionOf(this.config, this.secrets, "owner"), database: "postgres" });
    await admin.connect();
    try {
      const known = await admin.query<{ name: string }>("select rolname as name from pg_roles");
      for (const role of PROCESS_ROLES) {
        const name = roleName(role);
        const verb = known.rows.some((r) => r.name === name) ? "alter" : "create";
        const { password } = connectionOf(this.config, this.secrets, role);
        // identifiers and the literal are quoted by the driver: CREATE ROLE takes no parameters
        await admin.query(
          `${verb} role ${pg.escapeIdentifier(name)} login password ${pg.escapeLiteral(password as string)}`,
        );
      }
      const database = await admin.query("select 1 from pg_database where datname = $1", [this.config.HALVIK_DB_NAME]);
      if (database.rowCount === 0)
        await admin.query(`create database ${pg.escapeIdentifier(this.config.HALVIK_DB_NAME)}`);
    } finally {
      await admin.end();
    }
  }

  private lastLogLine(): string {
    const text = existsSync(this.logFile) ? readFileSync(this.logFile, "utf8") : "";
    const lines = text.trim().split("\n");
    return `${lines.findLast((l) => /FATAL|PANIC|ERROR/.test(l)) ?? lines.pop() ?? "no reason given"} (log: ${this.logFile})`;
  }

  private run(program: string, args: readonly string[]): Promise<{ status: number | null; output: string }> {
    return new Promise((resolve, reject) => {
      // its own process group: a Ctrl-C meant for Halvik must not reach the database before the roles have ended
      const child = spawn(join(POSTGRES_BIN, program), args, {
        cwd: "/",
        stdio: ["ignore", "pipe", "pipe"],
        detached: true,
        ...this.runAs,
      });
      let output = "";
      for (const stream of [child.stdout, child.stderr])
        stream.on("data", (b: Buffer) => {
          output = (output + b.toString()).slice(-10_000);
        });
      child.once("error", (e) => reject(new StartError(`${program} cannot be run: ${e.message}`)));
      // "exit": the server keeps the pipes of pg_ctl open
      child.once("exit", (status) => resolve({ status, output }));
    });
  }
}
