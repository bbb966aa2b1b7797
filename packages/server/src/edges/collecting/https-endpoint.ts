import { createHash } from "node:crypto";
import { createServer as createHttp, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import { createServer as createHttps } from "node:https";
import type { DecodeProblem } from "@halvik/core/base/bytes";
import { canonicalAddress } from "@halvik/core/base/net";
import { eventIdentity } from "@halvik/core/decode/windows";
import type { Arrival, Fate } from "../../domains/intake/arrivals/arrival.js";
import {
  type Endpoint,
  type EndpointCounters,
  type EndpointSink,
  type EndpointStatus,
  portTrouble,
} from "../../domains/intake/arrivals/endpoint.js";
import { hashToken } from "../../domains/people/passwords.js";
import { nowUs } from "../../kernel/clock.js";
import { WorkTooLong } from "../../kernel/threads/work-errors.js";
import type { WorkPool } from "../../kernel/threads/work-pool.js";
import type { BodyInput, BodyProtocol, BodyRecords } from "./body-worker.js";

export interface HttpsOptions {
  readonly host: string;
  readonly port: number;
  readonly tls: { readonly key: string; readonly cert: string } | null;
  /** Whether a token may bring records; asked for each request. */
  readonly mayBring: (token: string) => Promise<boolean>;
  /** Where bodies are cut into records. */
  readonly bodies: WorkPool;
}

const MAX_BODY_BYTES = 16 * 1024 * 1024;
const MAX_RECORDS = 20_000;
/** Bodies of all requests together. */
const MAX_IN_FLIGHT_BYTES = 64 * 1024 * 1024;
const READ_MS = 20_000;
const MAX_KEY = 200;
/** Requests worked on at once. */
const MOST_OPEN = 200;
/** How long a stop waits for answers to be sent. */
const ANSWER_MS = 3_000;
const RETRY_SECONDS = 5;
const REQUEST_MS = 60_000;
const SAMPLES = 20;

interface Answer {
  readonly stored: number;
  readonly held: number;
  readonly refused: number;
  /** Why, the first few. */
  readonly reasons: readonly DecodeProblem[];
}

/** What is brought to which path. */
const BODIES: Readonly<Record<string, BodyProtocol>> = { "/windows": "windows", "/json": "json", "/packets": "packet" };

/**
 * Windows events as event XML on `POST /windows`, JSON records on `POST /json`, what packets told on `POST /packets`, plain or gzip, with an intake token. The
 * answer comes once every record is durable.
 */
export class HttpsEndpoint implements Endpoint {
  private readonly server: Server;
  private state: EndpointStatus["state"] = "stopped";
  private detail = "";
  private inFlightBytes = 0;
  private open = 0;
  private hushed = false;
  readonly counters: EndpointCounters = { requests: 0, records: 0, bytes: 0 };

  constructor(
    readonly name: string,
    private readonly options: HttpsOptions,
    private readonly sink: EndpointSink,
  ) {
    const handle = (req: IncomingMessage, res: ServerResponse) => {
      // who was admitted is let in before strangers are
      if (this.open >= MOST_OPEN) {
        this.count("refused: too many requests at once");
        res.setHeader("retry-after", String(RETRY_SECONDS));
        req.resume();
        say(res, 503, { error: { code: "UNAVAILABLE", message: "too many requests at once; try again" } });
        return;
      }
      this.open++;
      res.once("close", () => this.open--);
      void this.handle(req, res).catch(() => {
        this.count("failed requests");
        if (!res.headersSent) say(res, 500, { error: { code: "INTERNAL", message: "something went wrong here" } });
        req.destroy();
      });
    };
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

  hush(): void {
    this.hushed = true;
  }

  async stop(): Promise<void> {
    this.state = "stopped";
    // what is committed is answered first
    for (let waited = 0; this.open > 0 && waited < ANSWER_MS; waited += 20)
      await new Promise((resolve) => setTimeout(resolve, 20));
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
    const protocol = BODIES[req.url ?? ""] ?? null;
    if ((req.headers["idempotency-key"]?.length ?? 0) > MAX_KEY)
      return refuse(400, "BAD_REQUEST", `Idempotency-Key: expected at most ${MAX_KEY} characters`);
    if (protocol === null)
      return refuse(404, "NOT_FOUND", `no such path: expected one of ${Object.keys(BODIES).join(", ")}`);
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
    if (this.hushed) return refuse(503, "UNAVAILABLE", "Halvik is stopping; try again");
    // what cannot be taken now should be kept by its sender
    if (this.sink.behind) return refuse(503, "UNAVAILABLE", "too busy: records wait for the database; try again");
    const declared = Number(req.headers["content-length"] ?? Number.NaN);
    if (declared > MAX_BODY_BYTES) return refuse(413, "TOO_LONG", `too long: expected at most ${MAX_BODY_BYTES} bytes`);
    // what is on its way is counted as it may become: all requests together must fit
    const reserved = Number.isNaN(declared) ? MAX_BODY_BYTES : declared;
    if (this.inFlightBytes + reserved > MAX_IN_FLIGHT_BYTES)
      return refuse(503, "UNAVAILABLE", "too busy: other requests are being read; try again");
    this.inFlightBytes += reserved;
    try {
      const body = await readBody(req);
      if (body === null) return refuse(413, "TOO_LONG", `too long: expected at most ${MAX_BODY_BYTES} bytes`);
      const read = await this.read(protocol, body, req.headers["content-encoding"] === "gzip");
      if (typeof read === "string") return refuse(400, "BAD_REQUEST", read);
      if (read.bytes === null)
        return refuse(413, "TOO_LONG", `too long: expected gzip of at most ${MAX_BODY_BYTES} bytes when unpacked`);
      this.count("bytes", read.bytes);
      const peer = canonicalAddress((req.socket.remoteAddress ?? "").split("%")[0]!) ?? "";
      const asked = req.headers["idempotency-key"];
      const repeats = typeof asked === "string" ? `${hashToken(token!)} ${peer} ${protocol} ${asked}` : null;
      const { status, answer } = await this.take(protocol, read.items, body, peer, repeats);
      if (status === 503 || status === 429) res.setHeader("retry-after", String(RETRY_SECONDS));
      say(res, status, answer);
    } finally {
      this.inFlightBytes -= reserved;
    }
  }

  /** Cuts the body in a thread of its own. @returns why it could not be, or its records */
  private async read(protocol: BodyProtocol, body: Buffer, gzip: boolean): Promise<BodyRecords | string> {
    const input: BodyInput = { protocol, body, gzip, maxBytes: MAX_BODY_BYTES, maxRecords: MAX_RECORDS };
    try {
      return await this.options.bodies.run<BodyRecords>("body", input, READ_MS);
    } catch (e) {
      this.count("refused: body could not be read");
      return e instanceof WorkTooLong
        ? `this body takes longer than ${READ_MS / 1000} s to read: send fewer records a request`
        : "this body takes more memory to read than there is for it: send fewer records a request";
    }
  }

  private async take(
    protocol: BodyProtocol,
    items: readonly (string | DecodeProblem)[],
    body: Buffer,
    peer: string,
    /** What a repetition of the request has in common with it; null: it cannot be told. */
    repeats: string | null,
  ): Promise<{ status: number; answer: Answer }> {
    const receivedUs = nowUs();
    const fates: Promise<{ fate: Fate; reason: string }>[] = [];
    const reasons: DecodeProblem[] = [];
    let refused = 0;
    for (const [place, item] of items.entries()) {
      if (typeof item !== "string") {
        refused++;
        this.count(`refused: ${item.code}`);
        if (reasons.length < SAMPLES) reasons.push(item);
        const sample = { protocol, endpoint: this.name, peer, receivedUs, bytes: body.subarray(0, 200), held: false };
        this.sink.undecodable(sample, item);
        continue;
      }
      this.count("records");
      fates.push(
        new Promise((settled) => {
          const settle = (fate: Fate, reason = "") => settled({ fate, reason });
          const bytes = Buffer.from(item, "utf8");
          const event = protocol === "windows" ? eventIdentity(item) : null;
          const repeated = event !== null ? `event ${event}` : repeats === null ? null : `${repeats} ${place}`;
          const key = repeated === null ? {} : { requestKey: sha256(repeated) };
          const arrival: Arrival = {
            protocol,
            endpoint: this.name,
            peer,
            receivedUs,
            bytes,
            held: false,
            settle,
            ...key,
          };
          this.sink.take(arrival);
        }),
      );
    }
    const settled = await Promise.all(fates);
    const count = (...wanted: readonly Fate[]) => settled.filter((f) => wanted.includes(f.fate)).length;
    for (const { fate, message, code } of REASONS) {
      const first = settled.find((f) => f.fate === fate);
      if (first && reasons.length < SAMPLES)
        reasons.push({ code, offset: 0, message: `${count(fate)} ${message}${first.reason && `: ${first.reason}`}` });
    }
    const answer = {
      stored: count("stored", "spooled", "unreadable"),
      held: count("held", "quarantined"),
      refused: refused + count("refused", "capped", "lost"),
      reasons,
    };
    return { status: statusOf(answer, count), answer };
  }
}

const sha256 = (text: string): string => createHash("sha256").update(text).digest("hex");

/** What a client is told of records that were not simply stored. */
const REASONS: readonly { readonly fate: Fate; readonly code: DecodeProblem["code"]; readonly message: string }[] = [
  { fate: "unreadable", code: "NOT_STORABLE", message: "stored as bytes, since the store refused what they say" },
  { fate: "quarantined", code: "NOT_STORABLE", message: "kept in quarantine, since the store refused them" },
  { fate: "refused", code: "NOT_KEPT", message: "not kept: this sender is refused, or too much of it waits" },
  { fate: "capped", code: "NOT_KEPT", message: "not kept: this sender is over its rate; send them again, slower" },
  { fate: "lost", code: "NOT_KEPT", message: "not kept: send them again later" },
];

/** What was kept was kept, and is not to be sent again; else the sender should know whether to try again. */
function statusOf(answer: Answer, count: (...fates: Fate[]) => number): number {
  if (answer.stored + answer.held > 0 || answer.refused === 0) return 200;
  if (count("lost") > 0) return 503;
  return count("capped") > 0 ? 429 : 400;
}

/** A body within the limit; null beyond it. */
async function readBody(req: IncomingMessage): Promise<Buffer | null> {
  const parts: Buffer[] = [];
  let size = 0;
  try {
    for await (const part of req as AsyncIterable<Buffer>) {
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
