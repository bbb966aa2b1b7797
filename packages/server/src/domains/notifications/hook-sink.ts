import { createHash, createHmac, timingSafeEqual } from "node:crypto";
import { createServer, type IncomingMessage } from "node:http";

const MOST_BYTES = 1_048_576;

/** What a stand-in receiver got. */
export interface Received {
  readonly id: string;
  readonly body: string;
  /** What is wrong with its digest or its signature; empty: nothing. */
  readonly wrong: string;
}

/**
 * A stand-in receiver of notifications on loopback, as somebody who programs one would write it: checks the digest (RFC 9530) and, given the
 * secret, the signature (RFC 9421), takes everything and sends nothing on. @returns its port, and how to stop it
 */
export async function startHookSink(
  port: number,
  secret: string,
  onReceived: (received: Received) => void,
): Promise<{ readonly port: number; readonly stop: () => Promise<void> }> {
  const server = createServer((req, res) => {
    void readBody(req).then((body) => {
      if (body === null) return void res.writeHead(413).end();
      const wrong = faultOf(req, body, secret, `http://${req.headers.host}${req.url}`);
      onReceived({ id: String(req.headers["idempotency-key"] ?? ""), body: body.toString("utf8"), wrong });
      res.writeHead(wrong === "" ? 204 : 401).end();
    });
  });
  await new Promise<void>((ready, failed) => server.once("error", failed).listen(port, "127.0.0.1", ready));
  return {
    port: (server.address() as { port: number }).port,
    stop: () => new Promise((done) => void server.close(() => done()).closeAllConnections()),
  };
}

async function readBody(req: IncomingMessage): Promise<Buffer | null> {
  const parts: Buffer[] = [];
  let bytes = 0;
  for await (const part of req as AsyncIterable<Buffer>) {
    bytes += part.length;
    if (bytes <= MOST_BYTES) parts.push(part);
  }
  return bytes > MOST_BYTES ? null : Buffer.concat(parts);
}

function faultOf({ method, headers }: IncomingMessage, body: Buffer, secret: string, uri: string): string {
  const digest = `sha-256=:${createHash("sha256").update(body).digest("base64")}:`;
  if (headers["content-digest"] !== digest) return "its digest is not that of the body";
  if (secret === "") return "";
  const input = /^halvik=(\((.*?)\);.*)$/.exec(String(headers["signature-input"] ?? ""));
  if (input === null) return "it is not signed";
  const values: Readonly<Record<string, unknown>> = { "@method": method, "@target-uri": uri, ...headers };
  const names = [...input[2]!.matchAll(/"([^"]+)"/g)].map((m) => m[1]!);
  const base = [...names.map((n) => `"${n}": ${values[n]}`), `"@signature-params": ${input[1]}`].join("\n");
  const expected = Buffer.from(`halvik=:${createHmac("sha256", secret).update(base).digest("base64")}:`);
  const signature = Buffer.from(String(headers.signature ?? ""));
  return signature.length === expected.length && timingSafeEqual(signature, expected)
    ? ""
    : "its signature is not made with this secret";
}
