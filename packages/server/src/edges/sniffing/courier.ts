import { randomUUID } from "node:crypto";
import { createSocket, type Socket } from "node:dgram";
import { request } from "node:https";
import { gzipSync } from "node:zlib";

const BATCH = 500;
const EVERY_MS = 1_000;
const RETRY_MS = 2_000;
const ANSWER_MS = 30_000;
/** What is kept for a Halvik that does not answer. */
const MOST_WAITING = 50_000;

export interface CourierTarget {
  readonly host: string;
  readonly intakePort: number;
  readonly flowPort: number;
  readonly token: string;
  /** The certificate its endpoint shows, PEM: no other is spoken to. */
  readonly certificate: string;
}

/** What an answer means for what was brought. */
type Answer = "taken" | "never" | "token" | "later";

/**
 * Brings what packets told to a Halvik: flows as IPFIX over UDP, the rest over HTTPS, each batch until it has been taken, and once. In bounded
 * memory: what does not fit while nobody answers is lost, and counted.
 */
export class Courier {
  private waiting: { readonly path: string; readonly json: string }[] = [];
  private readonly udp: Socket;
  private readonly timer: NodeJS.Timeout;
  private sending: Promise<void> | null = null;
  private ended = false;
  lost = 0;
  brought = 0;
  flowDatagrams = 0;

  /** @param onRefused told when the token is not taken: trying again would not help */
  constructor(
    private readonly target: CourierTarget,
    private readonly onRefused: () => void,
  ) {
    this.udp = createSocket(target.host.includes(":") ? "udp6" : "udp4");
    // flows that nobody listens for are missed by their numbers
    this.udp.on("error", () => undefined);
    this.timer = setInterval(() => this.go(), EVERY_MS);
  }

  flows(datagram: Uint8Array): void {
    this.flowDatagrams++;
    this.udp.send(datagram, this.target.flowPort, this.target.host, () => undefined);
  }

  /** @param path of the endpoint */
  record(path: "/packets" | "/json", json: string): void {
    if (this.waiting.length >= MOST_WAITING) {
      this.lost++;
      return;
    }
    this.waiting.push({ path, json });
    if (this.waiting.length >= BATCH) this.go();
  }

  /** Brings what waits, for so long at most. */
  async end(withinMs: number): Promise<void> {
    clearInterval(this.timer);
    const until = performance.now() + withinMs;
    while (this.waiting.length > 0 && performance.now() < until) {
      this.go();
      await Promise.race([this.sending, new Promise((r) => setTimeout(r, 200))]);
    }
    this.ended = true;
    this.lost += this.waiting.length;
    this.udp.close();
  }

  private go(): void {
    if (this.sending !== null || this.waiting.length === 0) return;
    this.sending = this.send().finally(() => {
      this.sending = null;
    });
  }

  private async send(): Promise<void> {
    const { path } = this.waiting[0]!;
    let n = 0;
    while (n < BATCH && this.waiting[n]?.path === path) n++;
    const lines = this.waiting.slice(0, n).map((w) => w.json);
    const body = gzipSync(lines.join("\n"));
    // the same key until it is taken: it may have been, and the answer was not heard
    const key = randomUUID();
    while (!this.ended) {
      const answer = await this.post(path, body, key);
      if (answer === "token") {
        this.onRefused();
        return;
      }
      if (answer === "later") {
        await new Promise((r) => setTimeout(r, RETRY_MS));
        continue;
      }
      if (answer === "taken") this.brought += n;
      else this.lost += n;
      this.waiting.splice(0, n);
      return;
    }
  }

  private post(path: string, body: Buffer, key: string): Promise<Answer> {
    const { host, intakePort: port, token, certificate } = this.target;
    return new Promise((done) => {
      const req = request(
        {
          host,
          port,
          path,
          method: "POST",
          ca: certificate,
          // it is this very certificate, whatever name it is for
          checkServerIdentity: () => undefined,
          headers: { authorization: `Bearer ${token}`, "content-encoding": "gzip", "idempotency-key": key },
          timeout: ANSWER_MS,
        },
        (res) => {
          res.resume();
          res.once("end", () => done(meaningOf(res.statusCode ?? 0))).once("error", () => done("later"));
        },
      );
      req.once("error", () => done("later"));
      req.once("timeout", () => req.destroy());
      req.end(body);
    });
  }
}

function meaningOf(status: number): Answer {
  if (status === 401) return "token";
  if (status >= 200 && status < 300) return "taken";
  return status === 429 || status >= 500 ? "later" : "never";
}
