import { createServer as createHttp, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { createServer as createHttps } from "node:https";
import { createGunzip } from "node:zlib";
import type { DecodeProblem } from "@halvik/core/bytes";
import { decodeUtf8 } from "@halvik/core/bytes";
import { parseJsonRecords } from "@halvik/core/json";
import { canonicalAddress } from "@halvik/core/net";
import { readEvents } from "@halvik/core/windows";
import { nowUs } from "../config/clock.js";
import type { Arrival, Fate } from "./arrival.js";
import {
  type Endpoint,
  type EndpointCounters,
  type EndpointSink,
  type EndpointStatus,
  portTrouble,
} from "./endpoint.js";

export interface HttpsOptions {
  readonly host: string;
  readonly port: number;
  readonly tls: { readonly key: string; readonly cert: string } | null;
  /** Whether a token may bring records; asked for each request. */
  readonly mayBring: (token: string) => Promise<boolean>;
}

const MAX_BODY_BYTES = 16 * 1024 * 1024;
const MAX_RECORDS = 20_000;
const REQUEST_MS = 60_000;
const SAMPLES = 20;

interface Answer {
  readonly stored: number;
  readonly held: number;
  readonly refused: number;
  /** Why, the first few. */
  readonly reasons: readonly DecodeProblem[];
}

/**
 * Windows events as event XML on `POST /windows`, JSON records on `POST /json`, plain or gzip, with an intake token. The
 * answer comes once every record is durable.
 */
export class HttpsEndpoint implements Endpoint {
  private readonly server: Server;
  private state: EndpointStatus["state"] = "stopped";
  private detail = "";
  readonly counters: EndpointCounters = { requests: 0, records: 0, bytes: 0 };

  constructor(
    readonly name: string,
    private readonly options: HttpsOptions,
    private readonly sink: EndpointSink,
  ) {
    const handle = (req: IncomingMessage, res: ServerResponse) =>
      void this.handle(req, res).catch(() => {
        this.count("failed requests");
        if (!res.headersSent) say(res, 500, { error: { code: "INTERNAL", message: "something went wrong here" } });
        req.destroy();
      });
    this.server = options.tls
      ? createHttps({ ...options.tls, minVersion: "TLSv1.2", requestTimeout: REQUEST_MS }, handle)
      : createHttp({ requestTimeout: REQUEST_MS }, handle);
    this.server.maxConnections = 1_000;
    this.server.on("tlsClientError", () => this.count("refused: TLS handshake failed"));
  }

  start(): Promise<void> {
    return new Promise((resolve, reject) => {
      this.server.once("error", (e: NodeJS.ErrnoException) => {
        this.state = "failed";
        this.detail = portTrouble("TCP", this.options.port, e.code) ?? e.message;
        reject(new Error(this.detail));
      });
      this.server.listen({ host: this.options.host, port: this.options.port }, () => {
        this.state = "listening";
        resolve();
      });
    });
  }

  stop(): Promise<void> {
    this.state = "stopped";
    this.server.closeAllConnections();
    return new Promise((resolve) => this.server.close(() => resolve()));
  }

  status(): EndpointStatus {
    const address = this.server.address();
    return {
      name: this.name,
      transport: "https",
      address: this.options.host,
      port: typeof address === "object" && address !== null ? address.port : this.options.port,
      state: this.state,
      detail: this.detail,
      counters: { ...this.counters },
    };
  }

  private count(what: string, n = 1): void {
    this.counters[what] = (this.counters[what] ?? 0) + n;
  }

  private async handle(req: IncomingMessage, res: ServerResponse): Promise<void> {
    this.count("requests");
    const refuse = (status: number, code: string, message: string) => {
      this.count(`refused: ${message.split(":")[0]}`);
      req.resume();
      say(res, status, { error: { code, message } });
    };
    const protocol = req.url === "/windows" ? "windows" : req.url === "/json" ? "json" : null;
    if (protocol === null) return refuse(404, "NOT_FOUND", "no such path: expected /windows or /json");
    if (req.method !== "POST") return refuse(405, "BAD_REQUEST", "wrong method: expected POST");
    const token = /^Bearer (\S{1,200})$/.exec(req.headers.authorization ?? "")?.[1];
    let may = false;
    try {
      may = token !== undefined && (await this.options.mayBring(token));
    } catch {
      return refuse(503, "UNAVAILABLE", "the token cannot be checked now: the database does not answer; try again");
    }
    if (!may)
      return refuse(
        401,
        "SIGN_IN_NEEDED",
        "no intake token: send “Authorization: Bearer …” with a token made for intake",
      );
    // what cannot be taken now should be kept by its sender
    if (this.sink.behind) return refuse(503, "UNAVAILABLE", "too busy: records wait for the database; try again");
    const body = await readBody(req);
    if (body === null) return refuse(413, "TOO_LONG", `too long: expected at most ${MAX_BODY_BYTES} bytes`);
    this.count("bytes", body.length);
    const peer = canonicalAddress((req.socket.remoteAddress ?? "").split("%")[0]!) ?? "";
    const answer = await this.take(protocol, body, peer);
    say(res, answer.refused > 0 && answer.stored + answer.held === 0 ? 400 : 200, answer);
  }

  private async take(protocol: "windows" | "json", body: Buffer, peer: string): Promise<Answer> {
    const receivedUs = nowUs();
    const fates: Promise<Fate>[] = [];
    const reasons: DecodeProblem[] = [];
    let refused = 0;
    const refuse = (problem: DecodeProblem, sample: Uint8Array) => {
      refused++;
      this.count(`refused: ${problem.code}`);
      if (reasons.length < SAMPLES) reasons.push(problem);
      this.sink.undecodable({ protocol, endpoint: this.name, peer, receivedUs, bytes: sample, held: false }, problem);
    };
    for (const item of items(protocol, body)) {
      if (fates.length + refused >= MAX_RECORDS) {
        refuse(
          { code: "TOO_LONG", offset: 0, message: `expected at most ${MAX_RECORDS} records a request` },
          Buffer.alloc(0),
        );
        break;
      }
      if ("problem" in item) {
        refuse(item.problem, body.subarray(0, 200));
        continue;
      }
      const bytes = Buffer.from(item.text, "utf8");
      this.count("records");
      fates.push(
        new Promise((settle) => {
          const arrival: Arrival = { protocol, endpoint: this.name, peer, receivedUs, bytes, held: false, settle };
          this.sink.take(arrival);
        }),
      );
    }
    const settled = await Promise.all(fates);
    const count = (...wanted: readonly Fate[]) => settled.filter((f) => wanted.includes(f)).length;
    const gone = count("refused", "lost");
    if (gone > 0 && reasons.length < SAMPLES)
      reasons.push({
        code: "UNKNOWN_KIND",
        offset: 0,
        message: `${gone} not kept: this sender is refused or over its rate`,
      });
    return { stored: count("stored", "spooled"), held: count("held"), refused: refused + gone, reasons };
  }
}

function* items(
  protocol: "windows" | "json",
  body: Buffer,
): Generator<{ readonly text: string } | { readonly problem: DecodeProblem }> {
  const text = bodyText(body);
  if (protocol === "windows") for (const e of readEvents(text)) yield "problem" in e ? e : { text: e.xml };
  else for (const j of parseJsonRecords(text)) yield "problem" in j ? j : { text: j.json };
}

/** Event XML is often UTF-16 (its files are); the byte order mark tells. */
function bodyText(body: Buffer): string {
  if (body[0] === 0xff && body[1] === 0xfe) return body.subarray(2).toString("utf16le");
  return decodeUtf8(body).text;
}

/** A body within the limit, unpacked within the limit; null beyond it or when it cannot be unpacked. */
async function readBody(req: IncomingMessage): Promise<Buffer | null> {
  const gzip = req.headers["content-encoding"] === "gzip";
  const source = gzip ? req.pipe(createGunzip()) : req;
  const parts: Buffer[] = [];
  let size = 0;
  try {
    for await (const part of source as AsyncIterable<Buffer>) {
      size += part.length;
      if (size > MAX_BODY_BYTES) return null;
      parts.push(part);
    }
  } catch {
    return null;
  }
  return Buffer.concat(parts);
}

function say(res: ServerResponse, status: number, body: object): void {
  const text = JSON.stringify(body);
  res.writeHead(status, { "content-type": "application/json", "content-length": Buffer.byteLength(text) });
  res.end(text);
}
