import { existsSync, readFileSync, renameSync, writeFileSync } from "node:fs";
import { request } from "node:https";
import { gzipSync } from "node:zlib";

export interface ForwarderTarget {
  readonly host: string;
  readonly port: number;
  readonly token: string;
}

const BATCH = 200;
const RETRY_MS = 2_000;
const MAX_WAITING = 20_000;

interface Waiting {
  readonly from: string;
  readonly atUs: number;
  readonly xml: string;
}

/**
 * A stand-in forwarder of Windows events: posts them over HTTPS and keeps a bookmark, the moment up to which everything was
 * taken, so that a restart repeats nothing and leaves nothing out.
 */
export class Forwarder {
  private waiting: Waiting[] = [];
  private sending = false;
  private stopping = false;
  private loop: Promise<void> = Promise.resolve();
  sent = 0;

  constructor(
    private readonly target: ForwarderTarget,
    private readonly bookmarkFile: string,
  ) {}

  /** Up to where events have been taken, or null before the first. */
  bookmarkUs(): number | null {
    if (!existsSync(this.bookmarkFile)) return null;
    const us = Number(readFileSync(this.bookmarkFile, "utf8"));
    return Number.isSafeInteger(us) ? us : null;
  }

  /** Events come in order of time. @param from the address they are sent from: each host forwards its own */
  add(from: string, atUs: number, xml: string): void {
    // the log itself is the queue: what does not fit is read again after the bookmark
    if (this.waiting.length < MAX_WAITING) this.waiting.push({ from, atUs, xml });
    if (!this.sending) this.loop = this.send();
  }

  /** Ends after the answer to what is on its way: only then the bookmark says what was taken. */
  async stop(): Promise<void> {
    this.stopping = true;
    await this.loop;
  }

  private async send(): Promise<void> {
    this.sending = true;
    while (this.waiting.length > 0 && !this.stopping) {
      const from = this.waiting[0]!.from;
      const part: Waiting[] = [];
      while (part.length < BATCH && this.waiting[part.length]?.from === from) part.push(this.waiting[part.length]!);
      if (await this.post(from, part.map((w) => w.xml).join(""))) {
        this.waiting.splice(0, part.length);
        this.sent += part.length;
        this.keep(part[part.length - 1]!.atUs);
      } else await new Promise((resolve) => setTimeout(resolve, RETRY_MS));
    }
    this.sending = false;
  }

  private keep(us: number): void {
    // renamed into place: a kill in between leaves the old one
    writeFileSync(`${this.bookmarkFile}.new`, String(us), { mode: 0o600 });
    renameSync(`${this.bookmarkFile}.new`, this.bookmarkFile);
  }

  /** @returns whether the collector has them for good, or will never take them */
  private post(localAddress: string, body: string): Promise<boolean> {
    return new Promise((done) => {
      const req = request(
        {
          host: this.target.host,
          port: this.target.port,
          localAddress,
          path: "/windows",
          method: "POST",
          // the demo's collector made its own certificate
          rejectUnauthorized: false,
          headers: { authorization: `Bearer ${this.target.token}`, "content-encoding": "gzip" },
          timeout: 30_000,
        },
        (res) => {
          res.resume();
          res.on("end", () => done(res.statusCode === 200 || res.statusCode === 400));
        },
      );
      req.on("error", () => done(false));
      req.on("timeout", () => req.destroy());
      req.end(gzipSync(body));
    });
  }
}
