import { type DecodeProblem, decodeUtf8, firstBadUtf8 } from "../../base/bytes/index.js";
import type { SyslogContext, SyslogMessage } from "./message.js";
import { readPri } from "./pri.js";
import { readRfc3164 } from "./rfc3164.js";
import { claimsRfc5424, readRfc5424 } from "./rfc5424.js";

/**
 * Takes one syslog message apart, RFC 5424 or RFC 3164 as seen in practice. Never fails: what cannot be read stays in
 * `text` with a `problem`. Line ends and NULs at the end go to `tail`.
 */
export function parseSyslog(line: string, context: SyslogContext): SyslogMessage {
  const end = trimmedEnd(line);
  const body = end === line.length ? line : line.slice(0, end);
  const tail = end === line.length ? "" : line.slice(end);
  const pri = readPri(body);
  const start = pri.ok ? pri.end : 0;
  const parsed =
    pri.ok && claimsRfc5424(body, start)
      ? readRfc5424(body, start, context)
      : !pri.ok && pri.problem !== null
        ? readRfc3164("", 0, context)
        : readRfc3164(body, start, context);
  const unreadable = !pri.ok && pri.problem !== null;
  const textStart = unreadable ? 0 : parsed.textStart;
  const text = unreadable ? body : parsed.text;
  let problem: DecodeProblem | null = pri.ok ? parsed.problem : (pri.problem ?? parsed.problem);
  if (body.length === 0) problem = { code: "EMPTY", offset: 0, message: "message: expected text, got none" };
  return {
    format: parsed.format,
    facility: pri.ok ? pri.facility : null,
    severity: pri.ok ? pri.severity : null,
    deviceTime: parsed.deviceTime,
    deviceUs: parsed.deviceUs,
    coarse: parsed.coarse,
    host: parsed.host,
    app: parsed.app,
    process: parsed.process,
    messageId: parsed.messageId,
    data: parsed.data,
    text,
    head: body.slice(0, textStart),
    tail,
    problem,
  };
}

/** A message from bytes; `raw` is set where the text cannot give the bytes back. */
export function decodeSyslog(
  bytes: Uint8Array,
  context: SyslogContext,
): { message: SyslogMessage; raw: Uint8Array | null } {
  const { text, exact } = decodeUtf8(bytes);
  const hasNul = text.includes("\0");
  // PostgreSQL text cannot hold U+0000: it is shown as a visible mark (semantics 7)
  const visible = hasNul ? showNuls(text) : text;
  const message = parseSyslog(visible, context);
  if (exact) return { message, raw: hasNul ? bytes : null };
  const offset = firstBadUtf8(bytes);
  const problem: DecodeProblem = {
    code: "NOT_UTF8",
    offset,
    message: `text: expected UTF-8, got byte 0x${(bytes[offset] ?? 0).toString(16).padStart(2, "0")}`,
  };
  return { message: { ...message, problem: message.problem ?? problem }, raw: bytes };
}

const showNuls = (text: string): string => text.replaceAll("\0", "\u2400");

function trimmedEnd(line: string): number {
  let end = line.length;
  while (end > 0) {
    const c = line.charCodeAt(end - 1);
    if (c !== 10 && c !== 13 && c !== 0 && c !== 0x2400) break;
    end--;
  }
  return end;
}
