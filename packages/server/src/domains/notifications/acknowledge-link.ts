import { createHmac, timingSafeEqual } from "node:crypto";

/** A link by which somebody who was mailed acknowledges what the mail is about, without signing in. */
export interface AcknowledgeLink {
  /** The message that holds it. */
  readonly message: string;
  /** Who was mailed. */
  readonly to: string;
  readonly signature: string;
}

/** @param key of the message, which nobody else is told */
export const signatureOf = (key: string, message: string, to: string): string =>
  createHmac("sha256", key).update(`acknowledge\n${message}\n${to}`).digest("base64url");

/** Whether a link is one that was made with this key: compared in constant time. */
export function isSigned(key: string, { message, to, signature }: AcknowledgeLink): boolean {
  const [given, own] = [Buffer.from(signature), Buffer.from(signatureOf(key, message, to))];
  return given.length === own.length && timingSafeEqual(given, own);
}

/** Not called `to`: in the interface's addresses that is the end of a window. @param base the address people reach Halvik by, without a slash at its end */
export function acknowledgeUrl(base: string, key: string, message: string, to: string): string {
  return `${base}/acknowledge?${new URLSearchParams({ message, person: to, signature: signatureOf(key, message, to) })}`;
}
