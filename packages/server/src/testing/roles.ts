import { type ChildProcess, spawn } from "node:child_process";
import { createSocket, type Socket as UdpSocket } from "node:dgram";
import { createConnection } from "node:net";
import { resolve } from "node:path";
import { roleNodeArgs } from "../start/role-args.js";
import type { TestInstance } from "./test-database.js";

const PROGRAM = resolve("packages/server/dist/halvik.js");

/** A role of the built program, as a real process. */
export class RoleProcess {
  private constructor(
    readonly child: ChildProcess,
    private readonly ended: Promise<void>,
    private readonly expectEnd: () => void,
  ) {}

  static async start(
    instance: TestInstance,
    role: "collector" | "engine" | "keeper" | "notifier" | "web",
  ): Promise<RoleProcess> {
    const child = spawn(process.execPath, [...roleNodeArgs(role), PROGRAM, "serve", "--role", role], {
      env: { ...instance.env, NODE_OPTIONS: "" },
      stdio: ["ignore", "ignore", "pipe", "ipc"],
    });
    let said = "";
    child.stderr!.on("data", (b: Buffer) => {
      said += b.toString();
    });
    let expected = false;
    const ended = new Promise<void>((done) =>
      child.once("exit", (code, signal) => {
        if (!expected) console.error(`${role} ended by itself (${code ?? signal}): ${said.slice(-4_000)}`);
        done();
      }),
    );
    await new Promise<void>((ready, failed) => {
      child.once("message", () => ready());
      child.once("exit", (code) => failed(new Error(`${role} ended with ${code}: ${said}`)));
    });
    return new RoleProcess(child, ended, () => {
      expected = true;
    });
  }

  /** As a crash would: no chance to finish anything. */
  async kill(): Promise<void> {
    this.expectEnd();
    this.child.kill("SIGKILL");
    await this.ended;
  }

  async stop(): Promise<void> {
    this.expectEnd();
    this.child.kill("SIGTERM");
    await this.ended;
  }
}

/** Runs a command of the built program to its end. */
export function runCommand(
  env: NodeJS.ProcessEnv,
  args: readonly string[],
  input = "",
): Promise<{ code: number; out: string; err: string }> {
  return new Promise((done) => {
    const child = spawn(process.execPath, [PROGRAM, ...args], { env: { ...env, NODE_OPTIONS: "" } });
    let out = "";
    let err = "";
    child.stdout.on("data", (b: Buffer) => {
      out += b.toString();
    });
    child.stderr.on("data", (b: Buffer) => {
      err += b.toString();
    });
    child.once("close", (code) => done({ code: code ?? -1, out, err }));
    child.stdin.on("error", () => undefined);
    child.stdin.end(input);
  });
}

/** Real packets from a loopback address of one's own. */
export class TestDevice {
  private readonly udp: UdpSocket;

  constructor(
    readonly address: string,
    private readonly instance: TestInstance,
  ) {
    this.udp = createSocket("udp4");
    this.udp.bind({ address });
  }

  send(line: string | Uint8Array): Promise<void> {
    return new Promise((done, failed) =>
      this.udp.send(line, this.instance.config.HALVIK_SYSLOG_UDP_PORT, "127.0.0.1", (e) => (e ? failed(e) : done())),
    );
  }

  /** Octet-counted messages over one TCP connection. */
  sendTcp(lines: readonly string[]): Promise<void> {
    return new Promise((done, failed) => {
      const socket = createConnection({
        host: "127.0.0.1",
        port: this.instance.config.HALVIK_SYSLOG_TCP_PORT,
        localAddress: this.address,
      });
      socket.once("error", failed);
      socket.end(Buffer.concat(lines.map((l) => Buffer.from(`${Buffer.byteLength(l)} ${l}`))), () => done());
    });
  }

  close(): void {
    this.udp.close();
  }
}
