import { TAG } from "./ber.js";

/** One element: tag, shortest definite length, contents. */
export function tlv(tag: number, ...contents: readonly Uint8Array[]): Uint8Array {
  let length = 0;
  for (const c of contents) length += c.length;
  const head =
    length < 0x80 ? [tag, length] : length < 0x100 ? [tag, 0x81, length] : [tag, 0x82, length >> 8, length & 255];
  const out = new Uint8Array(head.length + length);
  out.set(head);
  let at = head.length;
  for (const c of contents) {
    out.set(c, at);
    at += c.length;
  }
  return out;
}

/** The shortest two's complement form (X.690 section 8.3.2). */
export function integerOctets(value: number | bigint): Uint8Array {
  let rest = BigInt(value);
  const octets: number[] = [];
  for (;;) {
    const low = Number(BigInt.asUintN(8, rest));
    octets.unshift(low);
    rest >>= 8n;
    if ((rest === 0n && low < 0x80) || (rest === -1n && low >= 0x80)) return Uint8Array.from(octets);
  }
}

export const integer = (value: number | bigint, tag: number = TAG.integer): Uint8Array =>
  tlv(tag, integerOctets(value));
export const octets = (bytes: Uint8Array): Uint8Array => tlv(TAG.octetString, bytes);
export const sequence = (...parts: readonly Uint8Array[]): Uint8Array => tlv(TAG.sequence, ...parts);

/** An object identifier in dotted decimal. */
export function oid(text: string): Uint8Array {
  const arcs = text.split(".").map(Number);
  const out: number[] = [];
  const put = (arc: number) => {
    const septets = [arc % 128];
    for (let rest = Math.floor(arc / 128); rest > 0; rest = Math.floor(rest / 128))
      septets.unshift((rest % 128) | 0x80);
    out.push(...septets);
  };
  put((arcs[0] ?? 0) * 40 + (arcs[1] ?? 0));
  for (const arc of arcs.slice(2)) put(arc);
  return tlv(TAG.oid, Uint8Array.from(out));
}
