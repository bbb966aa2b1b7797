import { dataValues } from "./fields.js";
import type { HalvikRecord } from "./record.js";

/** Names under which programs say which session, logon or connection something belongs to (Windows logon ids; common practice of others, no source). */
export const SESSION_FIELDS = [
  "TargetLogonId",
  "SubjectLogonId",
  "LogonId",
  "LogonGuid",
  "session",
  "session id",
  "sessionid",
  "connection",
  "connection id",
  "conn",
  "connid",
  "flow id",
] as const;

/** What no session is called. */
const NO_SESSION = new Set(["", "0", "0x0", "-", "{00000000-0000-0000-0000-000000000000}"]);
const LONGEST_SESSION = 100;

/** The sessions a record says it belongs to. A session is one of its sender: elsewhere the same number is another. */
export const sessionsOf = (record: HalvikRecord): string[] => [
  ...new Set(
    SESSION_FIELDS.flatMap((name) => dataValues(record, name)).filter(
      (id) => id.length <= LONGEST_SESSION && !NO_SESSION.has(id.toLowerCase()),
    ),
  ),
];
