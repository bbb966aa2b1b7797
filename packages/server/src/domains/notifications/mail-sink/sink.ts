import { mkdirSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { formatUs } from "@halvik/core/base/time";
import { SMTPServer } from "smtp-server";
import { nowUs } from "../../../kernel/clock.js";
import { mailSinkDir } from "../../../kernel/config/data-dir.js";
import { handOver, roleUser } from "../../../kernel/files/owners.js";

const MOST_BYTES = 1_048_576;
const MOST_CLIENTS = 20;
const KEPT = 500;

/** Names of what was received, the newest first. */
export function sinkFiles(dataDir: string): string[] {
  try {
    return readdirSync(mailSinkDir(dataDir))
      .filter((f) => f.endsWith(".eml"))
      .sort()
      .reverse();
  } catch {
    return [];
  }
}

/**
 * A stand-in mail server on loopback: takes every message (RFC 5321), keeps the last 500 as files (RFC 5322) and sends nothing on.
 * @returns how to stop it
 */
export async function startMailSink(dataDir: string, port: number): Promise<() => Promise<void>> {
  mkdirSync(mailSinkDir(dataDir), { recursive: true });
  const reader = roleUser("web");
  handOver(mailSinkDir(dataDir), reader);
  let number = 0;
  const server = new SMTPServer({
    banner: "Halvik's stand-in mail server",
    disabledCommands: ["STARTTLS", "AUTH"],
    size: MOST_BYTES,
    maxClients: MOST_CLIENTS,
    onData(stream, _session, done) {
      const parts: Buffer[] = [];
      stream.on("data", (b: Buffer) => {
        // what is over the limit is read and thrown away, so that the sender gets an answer
        if (!stream.sizeExceeded) parts.push(b);
      });
      stream.on("end", () => {
        if (stream.sizeExceeded) {
          done(Object.assign(new Error("the message is longer than this server takes"), { responseCode: 552 }));
          return;
        }
        const name = `${formatUs(nowUs()).replaceAll(":", "-")}-${String(++number).padStart(6, "0")}.eml`;
        const file = join(mailSinkDir(dataDir), name);
        writeFileSync(file, Buffer.concat(parts), { mode: 0o600 });
        handOver(file, reader);
        for (const old of sinkFiles(dataDir).slice(KEPT)) rmSync(join(mailSinkDir(dataDir), old), { force: true });
        done();
      });
    },
  });
  server.on("error", () => undefined);
  await new Promise<void>((resolve, reject) => {
    server.server.once("error", (e: NodeJS.ErrnoException) =>
      reject(
        e.code === "EADDRINUSE"
          ? new Error(
              `port ${port}, for the stand-in mail server, is taken by another program; choose one with HALVIK_MAIL_SINK_PORT`,
            )
          : e,
      ),
    );
    server.listen(port, "127.0.0.1", resolve);
  });
  return () => new Promise((resolve) => server.close(() => resolve()));
}
