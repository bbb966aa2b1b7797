import { createHash } from "node:crypto";
import { Agent as HttpAgent, type IncomingMessage, request as requestHttp } from "node:http";
import { Agent as HttpsAgent, request as requestHttps } from "node:https";
import type { ForwardWay } from "@halvik/core/forward";
import type { Arrival } from "../../intake/arrivals/arrival.js";
import { certificateTrouble } from "./stream.js";
import { DELIVER_MS, isLinkLocal, RefusedForGood, type Way } from "./way.js";

/** Answers that no repetition changes: what was sent is not taken (RFC 9110 section 15.5.1, 15.5.14, 15.5.21). */
const FOR_GOOD: readonly number[] = [400, 413, 422];
const SAID_MOST = 300;

/** Records as JSON, one a line, by POST: delivered when the receiver says so (2xx). `Idempotency-Key` is the same for the same lines. */
export class JsonLines implements Way {
  private readonly url: URL;
  private readonly agent: HttpAgent | HttpsAgent;

  constructor(
    private readonly way: Extract<ForwardWay, { is: "json" }>,
    private readonly secret: string,
  ) {
    this.url = new URL(way.url);
    this.agent =
      this.url.protocol === "https:"
        ? new HttpsAgent({ keepAlive: true, maxSockets: 1 })
        : new HttpAgent({ keepAlive: true, maxSockets: 1 });
  }

  async deliver(arrivals: readonly Arrival[]): Promise<void> {
    const body = Buffer.concat(arrivals.flatMap((a) => [a.bytes, NEW_LINE]));
    const { status, said } = await this.post(body);
    if (status >= 200 && status < 300) return;
    const answered = `it answered ${status}${said === "" ? "" : `: ${said}`}`;
    throw FOR_GOOD.includes(status) ? new RefusedForGood(answered) : new Error(answered);
  }

  private post(body: Buffer): Promise<{ status: number; said: string }> {
    const { url, agent, secret, way } = this;
    const secure = url.protocol === "https:";
    const headers = {
      "Content-Type": "application/x-ndjson",
      "Content-Length": String(body.length),
      "Idempotency-Key": createHash("sha256").update(body).digest("hex"),
      "User-Agent": "Halvik",
      ...(secret === "" ? {} : { Authorization: `Bearer ${secret}` }),
    };
    return new Promise((done, failed) => {
      const options = { method: "POST", headers, agent, rejectUnauthorized: way.certificate === null };
      const req = (secure ? requestHttps : requestHttp)(url, options, (res) =>
        beginning(res).then((said) => done({ status: res.statusCode ?? 0, said }), failed),
      );
      const late = setTimeout(() => req.destroy(new Error(`no answer within ${DELIVER_MS / 1_000} s`)), DELIVER_MS);
      req.once("close", () => clearTimeout(late));
      req.once("error", failed);
      req.once("socket", (socket) => {
        const check = () => {
          const wrong = isLinkLocal(socket.remoteAddress ?? "")
            ? `${socket.remoteAddress} is of the link alone: nothing is sent there`
            : certificateTrouble(socket, way.certificate);
          if (wrong !== null) req.destroy(new Error(wrong));
          else req.end(body);
        };
        // nothing is sent before it is known to whom
        if (socket.connecting) socket.once(secure ? "secureConnect" : "connect", check);
        else check();
      });
    });
  }

  close(): void {
    this.agent.destroy();
  }
}

const NEW_LINE = Buffer.from("\n");

/** The beginning of what it answers; the rest is let go. */
async function beginning(res: IncomingMessage): Promise<string> {
  let said = "";
  for await (const chunk of res) if (said.length < SAID_MOST) said += String(chunk);
  return said.slice(0, SAID_MOST).trim();
}
