import type { DecodeProblem } from "../../base/bytes/index.js";
import { clockToInstant, readRfc3339 } from "../../base/time/index.js";
import type { SyslogContext, SyslogMessage } from "./message.js";
import { readStructuredData } from "./structured-data.js";

/** What follows `<PRI>`; `head` counts from the start of the line. */
export type Body = Omit<SyslogMessage, "facility" | "severity" | "head" | "tail"> & { readonly textStart: number };

/** Whether the text after the PRI claims to be RFC 5424: VERSION = NONZERO-DIGIT 0*2DIGIT, then a space. */
export function claimsRfc5424(line: string, start: number): boolean {
  const first = line.charCodeAt(start);
  if (first < 49 || first > 57) return false;
  let i = start + 1;
  while (i < start + 3 && line.charCodeAt(i) >= 48 && line.charCodeAt(i) <= 57) i++;
  if (line.charCodeAt(i) !== 32) return false;
  // "<13>1 potato" is no header: the stamp is either NILVALUE or starts with a digit.
  const next = line.charCodeAt(i + 1);
  return next === 45 ? line.charCodeAt(i + 2) === 32 : next >= 48 && next <= 57;
}

/**
 * Reads HEADER SP STRUCTURED-DATA [SP MSG] (RFC 5424 section 6) from `start`, just after the PRI. Fields longer than the
 * RFC allows are taken as they are. What cannot be read stays in `text`, whole, with a problem that says where.
 */
export function readRfc5424(line: string, start: number, context: SyslogContext): Body {
  const fields: string[] = [];
  let at = line.indexOf(" ", start) + 1;
  for (let i = 0; i < 5; i++) {
    const end = line.indexOf(" ", at);
    if (end < 0 || end === at) {
      const name = ["timestamp", "host name", "app name", "process id", "message id"][i]!;
      const message =
        end === at ? `${name}: expected one space, got two` : `${name}: expected a field and a space, got the end`;
      return withoutHeader(line, start, { code: "BAD_HEADER", offset: at, message });
    }
    fields.push(line.slice(at, end));
    at = end + 1;
  }
  const [stamp, host, app, process, messageId] = fields as [string, string, string, string, string];
  let problem: DecodeProblem | null = null;
  let deviceUs: number | null = null;
  let coarse = false;
  if (stamp !== "-") {
    const time = readRfc3339(stamp);
    if (time !== null && time.end === stamp.length) {
      deviceUs = time.offsetMinutes === null ? clockToInstant(context.zone, time.us) : time.us;
      coarse = !time.hasFraction;
    } else {
      const offset = line.indexOf(stamp, start);
      problem = {
        code: "BAD_TIMESTAMP",
        offset,
        message: `timestamp: expected RFC 3339 or "-", got ${JSON.stringify(stamp.slice(0, 40))}`,
      };
    }
  }
  const structured = readStructuredData(line, at);
  let textStart = structured.end;
  if (structured.problem !== null) problem ??= structured.problem;
  else if (textStart < line.length) {
    if (line.charCodeAt(textStart) === 32) textStart += 1;
    else
      problem ??= {
        code: "BAD_STRUCTURED_DATA",
        offset: textStart,
        message: "structured data: expected a space after it",
      };
    // Section 6.4: a UTF-8 message may start with a byte order mark, which is no part of it.
    if (line.charCodeAt(textStart) === 0xfeff) textStart += 1;
  }
  return {
    format: "RFC 5424",
    deviceTime: stamp === "-" ? null : stamp,
    deviceUs,
    coarse,
    host: nil(host),
    app: nil(app),
    process: nil(process),
    messageId: nil(messageId),
    data: structured.data,
    text: line.slice(textStart),
    textStart,
    problem,
  };
}

const nil = (field: string): string | null => (field === "-" ? null : field);

function withoutHeader(line: string, start: number, problem: DecodeProblem): Body {
  return {
    format: "bare",
    deviceTime: null,
    deviceUs: null,
    coarse: false,
    host: null,
    app: null,
    process: null,
    messageId: null,
    data: [],
    text: line.slice(start),
    textStart: start,
    problem,
  };
}
