const strict = new TextDecoder("utf-8", { fatal: true, ignoreBOM: true });
const lossy = new TextDecoder("utf-8", { ignoreBOM: true });

/**
 * Bytes to text. `exact` says whether encoding `text` as UTF-8 gives the same bytes back;
 * otherwise malformed sequences became U+FFFD (RFC 3629, section 3) and the caller must keep the bytes.
 */
export function decodeUtf8(bytes: Uint8Array): { text: string; exact: boolean } {
  try {
    return { text: strict.decode(bytes), exact: true };
  } catch {
    return { text: lossy.decode(bytes), exact: false };
  }
}

/** Offset at which the first malformed sequence begins (RFC 3629 section 4), or -1. */
export function firstBadUtf8(bytes: Uint8Array): number {
  let i = 0;
  while (i < bytes.length) {
    const length = sequenceLength(bytes, i);
    if (length === 0) return i;
    i += length;
  }
  return -1;
}

/** Length of the well-formed sequence at `start`, 0 when it is malformed or cut. */
function sequenceLength(bytes: Uint8Array, start: number): number {
  const first = bytes[start]!;
  if (first < 0x80) return 1;
  const length =
    first >= 0xc2 && first <= 0xdf ? 2 : first >= 0xe0 && first <= 0xef ? 3 : first >= 0xf0 && first <= 0xf4 ? 4 : 0;
  if (length === 0 || start + length > bytes.length) return 0;
  const second = bytes[start + 1]!;
  // no overlong forms, no surrogates, nothing beyond U+10FFFF
  const least = first === 0xe0 ? 0xa0 : first === 0xf0 ? 0x90 : 0x80;
  const most = first === 0xed ? 0x9f : first === 0xf4 ? 0x8f : 0xbf;
  if (second < least || second > most) return 0;
  for (let i = 2; i < length; i++) if ((bytes[start + i]! & 0xc0) !== 0x80) return 0;
  return length;
}
