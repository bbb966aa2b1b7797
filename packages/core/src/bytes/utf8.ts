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

/** Offset of the first byte that is not UTF-8, or -1. Only called for input already known to be bad. */
export function firstBadUtf8(bytes: Uint8Array): number {
  let low = 0;
  let high = bytes.length;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (decodesAsPrefix(bytes.subarray(0, middle))) low = middle;
    else high = middle - 1;
  }
  return low === bytes.length ? -1 : low;
}

function decodesAsPrefix(bytes: Uint8Array): boolean {
  try {
    new TextDecoder("utf-8", { fatal: true }).decode(bytes, { stream: true });
    return true;
  } catch {
    return false;
  }
}
