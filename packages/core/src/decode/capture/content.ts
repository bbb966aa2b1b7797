const SAMPLE_BYTES = 256;

/** Whether a datagram is a syslog message: a PRI, or text without control characters (common practice, no source). */
export function looksLikeSyslog(bytes: Uint8Array): boolean {
  if (hasPri(bytes, 0)) return true;
  if (bytes.length === 0) return false;
  const sample = bytes.subarray(0, SAMPLE_BYTES);
  return sample.every((b) => b === 9 || b === 10 || b === 13 || (b >= 32 && b !== 127));
}

/**
 * Whether a TCP stream carries syslog: it starts with a PRI, or with an octet count and a PRI (RFC 6587).
 * @returns "more" while its beginning is too short to tell
 */
export function looksLikeSyslogStream(start: Uint8Array): "yes" | "no" | "more" {
  const text = String.fromCharCode(...start.subarray(0, 16));
  if (/^(\d{1,7} )?<\d{1,3}>/.test(text)) return "yes";
  return /^(\d{0,7}|(\d{1,7} )?(<\d{0,3})?)$/.test(text) ? "more" : "no";
}

function hasPri(bytes: Uint8Array, start: number): boolean {
  if (bytes[start] !== 60) return false;
  let i = start + 1;
  while (i < start + 4 && bytes[i]! >= 48 && bytes[i]! <= 57) i++;
  return i > start + 1 && bytes[i] === 62;
}
