import type { DecodeProblem } from "../../base/bytes/index.js";

export type Pri =
  | { readonly ok: true; readonly facility: number; readonly severity: number; readonly end: number }
  | { readonly ok: false; readonly problem: DecodeProblem | null };

/**
 * Reads `<PRI>` at the start of a line. PRI = facility × 8 + severity, 0 to 191, no leading zeros but `<0>` itself
 * (RFC 5424 section 6.2.1, RFC 3164 section 4.1.1). No `<` at all is not a problem but a bare message.
 */
export function readPri(line: string): Pri {
  if (line.charCodeAt(0) !== 60) return { ok: false, problem: null };
  let value = 0;
  let i = 1;
  for (; i < 4; i++) {
    const d = line.charCodeAt(i) - 48;
    if (!(d >= 0 && d <= 9)) break;
    value = value * 10 + d;
  }
  const digits = i - 1;
  const leadingZero = digits > 1 && line.charCodeAt(1) === 48;
  if (digits === 0 || line.charCodeAt(i) !== 62 || value > 191 || leadingZero) {
    const close = line.slice(0, 8).indexOf(">");
    const got = close > 0 ? line.slice(0, close + 1) : line.slice(0, 5);
    return {
      ok: false,
      problem: {
        code: "INVALID_PRI",
        offset: 1,
        message: `priority: expected <0> to <191>, got ${JSON.stringify(got)}`,
      },
    };
  }
  return { ok: true, facility: value >> 3, severity: value & 7, end: i + 1 };
}
