import { createServer, type Server } from "node:http";
import { createServer as createHttps } from "node:https";
import { dirname, join } from "node:path";
import type { Duplex } from "node:stream";
import { fileURLToPath } from "node:url";
import pino from "pino";
import { writeHeartbeat } from "../domains/health/repository.js";
import { DirectoryCache } from "../domains/intake/senders/directory-cache.js";
import { Presenter } from "../domains/names/presenter.js";
import { LiveFeed } from "../domains/records/live-feed.js";
import { askedOf, questions } from "../domains/records/questions.js";
import { lookForDue, makeDue } from "../domains/reports/due-runs.js";
import { createApp } from "../edges/http/app.js";
import { nowUs } from "../kernel/clock.js";
import { createModels } from "../kernel/db/models.js";
import { connectionOf, createPool } from "../kernel/db/pool.js";
import { Streams } from "../kernel/http/streams.js";
import { Jobs } from "../kernel/jobs/jobs.js";
import type { RoleContext } from "../kernel/role-input.js";
import { VERSION } from "../kernel/version.js";
import { TermIndex } from "../store/term-index.js";
import { webThreads } from "./threads/web-threads.js";

const STATEMENT_TIMEOUT_MS = 15_000;
const HEARTBEAT_MS = 5_000;
/** How often it is looked whether a report is due. */
const DUE_MS = 5_000;

/** The longest filter there is, written as a URL. */
const MAX_HEADER_BYTES = 96 * 1_024;

/** Runs the web role. @returns how to stop it */
export async function startWeb({ config, secrets, tls }: RoleContext): Promise<() => Promise<void>> {
  const log = pino({ name: "web", level: config.HALVIK_LOG_LEVEL }, pino.destination(2));
  const connection = connectionOf(config, secrets, "web");
  const db = createPool(connection, 8, STATEMENT_TIMEOUT_MS);
  const models = createModels(config, secrets, "web", STATEMENT_TIMEOUT_MS);
  const feed = new LiveFeed(connection, db, log);
  const webRoot = join(dirname(fileURLToPath(import.meta.url)), "../../web/dist");
  const directory = new DirectoryCache(db, config.HALVIK_ZONE);
  const terms = new TermIndex();
  const { work, scans, rehearsals } = webThreads(connection, config.HALVIK_ZONE, STATEMENT_TIMEOUT_MS);
  const presenter = new Presenter(db);
  const ask = askedOf(questions(db, directory, terms), work, scans);
  const app = createApp(
    {
      config,
      db,
      models,
      directory,
      presenter,
      feed,
      terms,
      ask,
      work,
      rehearsals,
      streams: new Streams(),
      certificate: tls?.cert ?? null,
      version: VERSION,
    },
    secrets.sessionSecret!,
    webRoot,
    log,
  );
  const servers = [
    await listen(
      createServer({ maxHeaderSize: MAX_HEADER_BYTES }, app),
      config.HALVIK_HTTP_PORT,
      config.HALVIK_HTTP_HOST,
    ),
  ];
  if (config.HALVIK_HTTPS_PORT !== 0) {
    const options = { ...tls, minVersion: "TLSv1.2" as const, maxHeaderSize: MAX_HEADER_BYTES };
    servers.push(await listen(createHttps(options, app), config.HALVIK_HTTPS_PORT, config.HALVIK_HTTP_HOST));
  }
  await feed.start();
  const needs = { config, db, directory, presenter, terms, ask };
  const jobs = await Jobs.start(db, (error) => log.warn({ error: error.message }, "jobs cannot be looked at"));
  await jobs.work<{ run: number }>("report", ({ run }, isLast) => makeDue(needs, run, isLast));
  const due = setInterval(() => {
    lookForDue(db, jobs, nowUs()).catch((e: Error) =>
      log.warn({ error: e.message }, "what is due cannot be looked for"),
    );
  }, DUE_MS);
  const startedUs = nowUs();
  const beat = () =>
    writeHeartbeat(db, "web", config.HALVIK_NODE, startedUs, nowUs(), { memoryBytes: process.memoryUsage.rss() }).catch(
      () => undefined,
    );
  await beat();
  let beating: Promise<unknown> = Promise.resolve();
  const timer = setInterval(() => {
    beating = beat();
  }, HEARTBEAT_MS);
  return async () => {
    clearInterval(timer);
    clearInterval(due);
    await jobs.stop();
    await beating;
    for (const server of servers) {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    }
    await feed.stop();
    await writeHeartbeat(db, "web", config.HALVIK_NODE, startedUs, nowUs(), { stopped: true }).catch(() => undefined);
    await Promise.all([work.close(), scans.close(), rehearsals.close()]);
    await models.close();
    await db.end();
  };
}

/** An answer to what is no HTTP that can be read: never an empty one. */
function refuse(error: NodeJS.ErrnoException, socket: Duplex): void {
  if (!socket.writable) {
    socket.destroy();
    return;
  }
  const tooLong = error.code === "HPE_HEADER_OVERFLOW";
  const status = tooLong ? "431 Request Header Fields Too Large" : "400 Bad Request";
  const message = tooLong
    ? `the address is longer than ${MAX_HEADER_BYTES / 1_024} KiB: send the same by POST, as JSON`
    : "this is no HTTP request that can be read";
  const body = JSON.stringify({ error: { code: "BAD_REQUEST", message } });
  socket.end(
    `HTTP/1.1 ${status}\r\ncontent-type: application/json\r\ncontent-length: ${Buffer.byteLength(body)}\r\nconnection: close\r\n\r\n${body}`,
  );
}

async function listen(server: Server, port: number, host: string): Promise<Server> {
  server.on("clientError", refuse);
  await new Promise<void>((resolve, reject) => {
    server.once("error", (e: NodeJS.ErrnoException) =>
      reject(
        e.code === "EADDRINUSE"
          ? new Error(
              `port ${port} is taken by another program; choose one with --port, HALVIK_HTTP_PORT or HALVIK_HTTPS_PORT`,
            )
          : e,
      ),
    );
    server.listen(port, host, resolve);
  });
  return server;
}
