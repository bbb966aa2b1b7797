const HANDSHAKE = 22;
const CLIENT_HELLO = 1;
const LEAST_METHOD = 3;
const MOST_METHOD = 20;

/**
 * What the first octets of whoever asks begin: a request of HTTP/1 (a word of capitals and a space, RFC 9112 section 3), a handshake of TLS (a record of
 * version 3.x with a ClientHello in it, RFC 8446 section 5.1), something else; "more": too few to tell.
 */
export function recogniseContent(bytes: Uint8Array): "http" | "tls" | "other" | "more" {
  if (bytes[0] === HANDSHAKE) {
    if ((bytes[1] ?? 3) !== 3 || (bytes[5] ?? CLIENT_HELLO) !== CLIENT_HELLO) return "other";
    return bytes.length < 6 ? "more" : "tls";
  }
  let capitals = 0;
  while (capitals < bytes.length && bytes[capitals]! >= 65 && bytes[capitals]! <= 90) capitals++;
  if (capitals > MOST_METHOD) return "other";
  if (capitals === bytes.length) return "more";
  return capitals >= LEAST_METHOD && bytes[capitals] === 32 ? "http" : "other";
}
