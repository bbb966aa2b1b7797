import { createHash, createHmac } from "node:crypto";
import { type IncomingMessage, request as requestHttp } from "node:http";
import { request as requestHttps } from "node:https";
import { isIP } from "node:net";
import { signatureBase, type WebhookChannel, webhookBody } from "@halvik/core/respond/notify";
import { guardedLookup, RefusedAddress, refusalOf } from "./outgoing-addresses.js";
import type { Outgoing, Sent } from "./way.js";

const TIMEOUT_MS = 20_000;
const ANSWER_MOST = 400;
/** Answers after which trying again may help: RFC 9110 15.5.9 and 15.6, RFC 6585 section 4. */
const PASSING = [408, 425, 429];
const KEY_ID = "halvik";

/** What sending to a web address goes by. */
export interface WebhookSending {
  readonly channel: WebhookChannel;
  /** Empty: messages are not signed. */
  readonly secret: string;
  /** Blocks of inside addresses that may be sent to. */
  readonly allowed: readonly string[];
  readonly nowUs: () => number;
}

/**
 * Sends a message by POST to a web address: `Idempotency-Key` is the message's id, `Content-Digest` (RFC 9530) its SHA-256, and where there is
 * a secret, `Signature` (RFC 9421, hmac-sha256) covers method, address, digest and id. No redirect is followed.
 */
export async function sendWebhook(sending: WebhookSending, message: Outgoing): Promise<Sent> {
  const { channel, allowed } = sending;
  const url = new URL(channel.url);
  // it is not sent, and so not signed (RFC 9110 section 7.1)
  url.hash = "";
  const host = url.hostname.replace(/^\[|\]$/g, "");
  // an address is not looked up, and so not refused by that
  const refused = isIP(host) === 0 ? null : refusalOf(host, allowed);
  if (refused !== null) return { ok: false, why: refused, permanent: true };
  const { id, write, about } = message;
  const body = Buffer.from(webhookBody(channel.format, message, write(null), about), "utf8");
  try {
    const { status, said } = await post(url, body, headersOf(sending, url, body, id), allowed);
    if (status >= 200 && status < 300) return { ok: true };
    const passing = status >= 500 || PASSING.includes(status);
    return { ok: false, why: `it answered ${status}${said === "" ? "" : `: ${said}`}`, permanent: !passing };
  } catch (e) {
    return { ok: false, why: (e as Error).message.slice(0, ANSWER_MOST), permanent: e instanceof RefusedAddress };
  }
}

function headersOf({ secret, nowUs }: WebhookSending, url: URL, body: Buffer, id: string): Record<string, string> {
  const digest = `sha-256=:${createHash("sha256").update(body).digest("base64")}:`;
  const headers = {
    "Content-Type": "application/json",
    "Content-Length": String(body.length),
    "Content-Digest": digest,
    "Idempotency-Key": id,
    "User-Agent": "Halvik",
  };
  if (secret === "") return headers;
  const { params, base } = signatureBase(
    [
      ["@method", "POST"],
      ["@target-uri", url.href],
      ["content-digest", digest],
      ["idempotency-key", id],
    ],
    Math.floor(nowUs() / 1e6),
    KEY_ID,
    "hmac-sha256",
  );
  const signature = createHmac("sha256", secret).update(base).digest("base64");
  return { ...headers, "Signature-Input": `halvik=${params}`, Signature: `halvik=:${signature}:` };
}

function post(
  url: URL,
  body: Buffer,
  headers: Record<string, string>,
  allowed: readonly string[],
): Promise<{ status: number; said: string }> {
  return new Promise((resolve, reject) => {
    const ask = url.protocol === "https:" ? requestHttps : requestHttp;
    const req = ask(url, { method: "POST", headers, lookup: guardedLookup(allowed), agent: false }, (res) =>
      readSome(res).then((said) => resolve({ status: res.statusCode ?? 0, said }), reject),
    );
    // over all of it: one that answers byte by byte holds nobody up
    const late = setTimeout(() => req.destroy(new Error(`no answer within ${TIMEOUT_MS / 1_000} s`)), TIMEOUT_MS);
    req.once("close", () => clearTimeout(late));
    req.once("error", reject);
    req.end(body);
  });
}

/** The beginning of an answer, as one line; the rest is not waited for. */
async function readSome(res: IncomingMessage): Promise<string> {
  let said = "";
  for await (const part of res.setEncoding("utf8")) {
    said += part;
    if (said.length >= ANSWER_MOST) break;
  }
  res.destroy();
  return said
    .slice(0, ANSWER_MOST)
    .replace(/\p{Cc}+/gu, " ")
    .trim();
}
