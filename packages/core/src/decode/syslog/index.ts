export { type Frame, SyslogFraming } from "./framing.js";
export type { SyslogContext, SyslogMessage } from "./message.js";
export { decodeSyslog, parseSyslog } from "./parse-syslog.js";
