import { canonicalAddress } from "../../base/net/index.js";
import type { SyslogContext } from "./message.js";
import { readDeviceStamp } from "./rfc3164-time.js";
import type { Body } from "./rfc5424.js";

const MAX_TAG = 64;

/**
 * Reads `TIMESTAMP HOSTNAME TAG[PID]: CONTENT` (RFC 3164 section 4.1) from `start`, just after the PRI, any part of
 * which may be missing in practice. Without a stamp there is no header: the host is then unknown and only a tag is
 * looked for. A leading sequence number (`46: `) is passed over.
 */
export function readRfc3164(line: string, start: number, context: SyslogContext): Body {
  const afterNumber = skipSequenceNumber(line, start);
  let stamp = readDeviceStamp(line, afterNumber, context);
  let host: string | null = null;
  let at = start;
  if (stamp === null && afterNumber > start) {
    // "46: router-1: *Mar  1 18:46:11: ..." : a host name may stand between number and stamp
    const colon = line.indexOf(": ", afterNumber);
    if (colon > afterNumber && colon - afterNumber <= 255 && !line.slice(afterNumber, colon).includes(" ")) {
      stamp = readDeviceStamp(line, colon + 2, context);
      if (stamp !== null) host = line.slice(afterNumber, colon);
    }
  }
  if (stamp !== null) {
    at = stamp.end;
    if (host === null) {
      const word = readHost(line, at);
      if (word !== null) {
        host = word.host;
        at = word.end;
      }
    }
  }
  const tag = readTag(line, at, stamp !== null);
  const textStart = tag === null ? at : tag.end;
  return {
    format: stamp === null ? "bare" : "RFC 3164",
    deviceTime: stamp?.text ?? null,
    deviceUs: stamp?.us ?? null,
    coarse: stamp?.coarse ?? false,
    host,
    app: tag?.app ?? null,
    process: tag?.process ?? null,
    messageId: null,
    data: [],
    text: line.slice(textStart),
    textStart,
    problem: null,
  };
}

function skipSequenceNumber(line: string, start: number): number {
  let i = start;
  while (i < start + 10 && line.charCodeAt(i) >= 48 && line.charCodeAt(i) <= 57) i++;
  return i > start && line.charCodeAt(i) === 58 && line.charCodeAt(i + 1) === 32 ? i + 2 : start;
}

/** How packet filter logs go on after their time, without a host (common practice, no source): the text's first word is no host. */
const PACKET_FILTER = /^rule \d\S{0,40}\(match\)/;

/** The word after the stamp is the host unless it is a tag already. An IPv6 address holds colons and is no tag. */
function readHost(line: string, start: number): { host: string; end: number } | null {
  const space = line.indexOf(" ", start);
  if (space <= start || space - start > 255) return null;
  const word = line.slice(start, space);
  if (word === "rule" && PACKET_FILTER.test(line.slice(start, start + 60))) return null;
  const last = word.charCodeAt(word.length - 1);
  if (word.includes(":") || word.includes("[")) {
    const address = last === 58 ? word.slice(0, -1) : word;
    if (canonicalAddress(address) === null) return null;
    return { host: address, end: space + 1 };
  }
  // "%LINK-3-UPDOWN" and quotes never name hosts
  const c = word.charCodeAt(0);
  const isHost = (c >= 48 && c <= 57) || (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c > 127 || c === 95;
  return isHost ? { host: word, end: space + 1 } : null;
}

/** A module after the name of its program: `CRON(pam_unix)[5]:` (common practice, no source). */
const MODULE = /^\([\w.-]{1,48}\)(?=[[:])/;

/**
 * `name:`, `name[pid]:` or `name[pid]`; a name has no spaces, so plain text is not taken for one. Below a header the tag ends with whatever
 * is not of a name (RFC 3164 section 4.1.3), so that nothing need stand between colon and text.
 */
function readTag(
  line: string,
  start: number,
  hasHeader: boolean,
): { app: string; process: string | null; end: number } | null {
  let i = start;
  const limit = Math.min(line.length, start + MAX_TAG);
  for (; i < limit; i++) {
    const c = line.charCodeAt(i);
    if (c === 58 || c === 91 || c === 40) break;
    if (c <= 32 || c === 34 || c === 39 || c === 61 || c === 60 || c === 62) return null;
  }
  if (i === start || i === limit) return null;
  const app = line.slice(start, i);
  if (line.charCodeAt(i) === 40) {
    const module = MODULE.exec(line.slice(i, i + 52));
    if (module === null) return null;
    i += module[0].length;
  }
  let process: string | null = null;
  if (line.charCodeAt(i) === 91) {
    const close = line.indexOf("]", i);
    if (close < 0 || close - i > 64) return null;
    process = line.slice(i + 1, close) || null;
    i = close + 1;
    if (line.charCodeAt(i) !== 58) return line.charCodeAt(i) === 32 ? { app, process, end: i + 1 } : null;
  }
  const after = line.charCodeAt(i + 1);
  if (i + 1 < line.length && after !== 32) {
    // a colon inside a word ("12:30", "http://x", "C:\\x", "::1") is no tag's end
    const endsTag = process !== null || (hasHeader && /^[a-z][\w.-]+$/i.test(app) && /^[^:/\\\d]/.test(line[i + 1]!));
    return endsTag ? { app, process, end: i + 1 } : null;
  }
  return { app, process, end: i + 1 < line.length ? i + 2 : i + 1 };
}
