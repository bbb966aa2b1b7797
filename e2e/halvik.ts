import { type ChildProcess, spawn } from "node:child_process";
import { createSocket } from "node:dgram";
import { mkdtempSync, rmSync } from "node:fs";
import { createConnection } from "node:net";
import { tmpdir } from "node:os";
import { join, resolve } from "node:path";
import type { Cookie, Locator, Page } from "@playwright/test";
import { freePort } from "../packages/server/src/testing/free-port";

const PASSWORD = "correct horse battery";

const OTHER_PORTS = ["SYSLOG_TLS", "SNMP", "NETFLOW", "IPFIX", "SFLOW", "INTAKE", "MAIL_SINK"] as const;

/** Every page there is, with one incident and a shipped rule. */
export const PAGES = [
  "/now",
  "/records",
  "/incidents",
  "/incidents/1",
  "/rules",
  "/rules/refused-logons",
  "/rules/new",
  "/intake",
  "/intake/plan",
  "/intake/arrival",
  "/intake/formats",
  "/intake/forwards",
  "/intake/trace",
  "/intake/senders/1",
  "/intake/names",
  "/notify",
  "/load",
  "/traffic",
  "/traffic/policy",
  "/traffic/now",
  "/traffic/answers",
  "/traffic/portrait?kind=user&value=owner",
  "/lists",
  "/reports",
  "/reports/limits",
  "/reports/new",
  "/reports/ready/Intake%20health",
  "/reports/boards",
  "/reports/boards/new",
  "/reports/boards/ready/Firewall",
  "/reports/boards/ready/Intake",
  "/reports/boards/now/edit",
  "/investigations",
  "/investigations/1",
  "/investigations/1?view=lanes",
  "/investigations/1?view=ask",
  "/investigations/1?view=hand-over",
  "/techniques",
] as const;

/** A whole Halvik, started as a user would start it, on ports and in a directory of its own. */
export class Halvik {
  private child: ChildProcess | null = null;
  private output = "";
  private readonly sessions = new Map<string, Cookie[]>();

  private constructor(
    private readonly dataDir: string,
    readonly httpPort: number,
    private readonly syslogPort: number,
    private readonly dbPort: number,
    /** Ports of the other ways in, by the setting's middle part. */
    readonly ports: Readonly<Record<(typeof OTHER_PORTS)[number], number>>,
  ) {}

  static async create(): Promise<Halvik> {
    const dataDir = mkdtempSync(join(tmpdir(), "halvik-e2e-"));
    const ports = Object.fromEntries(await Promise.all(OTHER_PORTS.map(async (n) => [n, await freePort()] as const)));
    return new Halvik(dataDir, await freePort(), await freePort(), await freePort(), ports as Halvik["ports"]);
  }

  get url(): string {
    return `http://127.0.0.1:${this.httpPort}`;
  }

  get oneTimePassword(): string {
    return /one-time password (\S+)/.exec(this.output)![1]!;
  }

  /** @param env settings beyond ports and directory */
  async start(env: Readonly<Record<string, string>> = {}): Promise<void> {
    this.output = "";
    const child = spawn(
      process.execPath,
      [
        resolve("packages/server/dist/halvik.js"),
        "start",
        "--empty",
        "--data",
        this.dataDir,
        "--port",
        String(this.httpPort),
      ],
      {
        env: {
          ...process.env,
          HALVIK_SYSLOG_UDP_PORT: String(this.syslogPort),
          HALVIK_SYSLOG_TCP_PORT: String(this.syslogPort),
          HALVIK_DB_PORT: String(this.dbPort),
          HALVIK_CHECK_ANSWERS: "true",
          ...Object.fromEntries(OTHER_PORTS.map((n) => [`HALVIK_${n}_PORT`, String(this.ports[n])])),
          ...env,
        },
      },
    );
    this.child = child;
    await new Promise<void>((ready, failed) => {
      const take = (b: Buffer) => {
        this.output += b.toString();
        if (this.output.includes("Ctrl-C stops everything")) ready();
      };
      child.stdout.on("data", take);
      child.stderr.on("data", take);
      child.once("exit", (code) => failed(new Error(`start ended with ${code}: ${this.output}`)));
    });
  }

  /** What commands need to find this Halvik. */
  get env(): NodeJS.ProcessEnv & { readonly HALVIK_DATA_DIR: string } {
    return { ...process.env, HALVIK_DATA_DIR: this.dataDir, HALVIK_DB_PORT: String(this.dbPort) };
  }

  /** Runs a command of this Halvik's to its end. @returns what it printed */
  async command(args: readonly string[], input = ""): Promise<string> {
    const child = spawn(process.execPath, [resolve("packages/server/dist/halvik.js"), ...args], {
      env: this.env,
      stdio: ["pipe", "pipe", "inherit"],
    });
    const printed: Buffer[] = [];
    child.stdout!.on("data", (part: Buffer) => printed.push(part));
    child.stdin!.end(input);
    const code = await new Promise((done) => child.once("exit", done));
    if (code !== 0) throw new Error(`${args.join(" ")} ended with ${code}`);
    return Buffer.concat(printed).toString();
  }

  /** The stand-in mail server of this Halvik. @returns how to end it */
  async mailSink(): Promise<() => void> {
    const child = spawn(process.execPath, [resolve("packages/server/dist/halvik.js"), "mail-sink"], {
      env: {
        ...process.env,
        HALVIK_DATA_DIR: this.dataDir,
        HALVIK_MAIL_SINK_PORT: String(this.ports.MAIL_SINK),
      },
      stdio: ["ignore", "pipe", "inherit"],
    });
    await new Promise((ready) => child.stdout!.once("data", ready));
    return () => child.kill();
  }

  /** Ctrl-C. */
  async stop(): Promise<void> {
    const child = this.child;
    // one that ended by itself, which its start has told, says so no second time
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const ended = new Promise((done) => child.once("exit", done));
    child.kill("SIGINT");
    await ended;
    this.child = null;
  }

  async dispose(): Promise<void> {
    await this.stop();
    rmSync(this.dataDir, { recursive: true, force: true });
  }

  async udp(from: string, line: string | Uint8Array, port = this.syslogPort): Promise<void> {
    const socket = createSocket("udp4");
    await new Promise<void>((bound) => socket.bind({ address: from }, bound));
    await new Promise<void>((sent, failed) => socket.send(line, port, "127.0.0.1", (e) => (e ? failed(e) : sent())));
    socket.close();
  }

  tcp(from: string, lines: readonly string[]): Promise<void> {
    return new Promise((done, failed) => {
      const socket = createConnection({ host: "127.0.0.1", port: this.syslogPort, localAddress: from });
      socket.once("error", failed);
      socket.end(lines.map((l) => `${l}\n`).join(""), done);
    });
  }

  /** Signs in by the form; who did so before comes with the session of then, while it holds. */
  async signIn(page: Page, password = PASSWORD, name = "owner"): Promise<void> {
    const kept = this.sessions.get(`${name} ${password}`);
    if (kept !== undefined) await page.context().addCookies(kept);
    await page.goto(this.url);
    const sections = page.getByRole("navigation", { name: "Sections" });
    await sections
      .or(page.getByLabel("Name", { exact: true }))
      .first()
      .waitFor();
    if (await sections.isVisible()) return;
    await page.getByLabel("Name").fill(name);
    await page.getByLabel("Password").fill(password);
    await page.getByRole("button", { name: "Sign in" }).click();
    if (password !== PASSWORD) return;
    await sections.waitFor();
    this.sessions.set(`${name} ${password}`, await page.context().cookies());
  }

  async firstSignIn(page: Page, password = this.oneTimePassword, name = "owner"): Promise<void> {
    await this.signIn(page, password, name);
    await page.getByLabel("New password").fill(PASSWORD);
    await page.getByLabel("Repeat it").fill(PASSWORD);
    await page.getByRole("button", { name: "Save" }).click();
    await page.getByRole("navigation", { name: "Sections" }).waitFor();
  }
}

/** Chooses from a list that opens under its control. */
export async function choose(control: Locator, option: string | RegExp): Promise<void> {
  await control.click();
  await control.page().getByRole("option", { name: option, exact: true }).click();
}
