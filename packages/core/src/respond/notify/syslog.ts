import { type EpochUs, formatUs } from "../../base/time/index.js";
import { SEVERITIES } from "../../model/record/index.js";
import type { MailedIncident, MailText } from "./message.js";
import type { Tells } from "./route.js";

/** log alert (RFC 5424 table 1). */
const FACILITY = 14;
const NOTICE = 5;
/** Of an enterprise number; ours is the one for documentation (RFC 5612). */
const SD_ID = "halvik@32473";
const BOM = "\ufeff";
/** Every receiver must take 480 octets, should take 2,048 (RFC 5424 section 6.1). */
const TEXT_MOST = 1_200;

/** A message as syslog (RFC 5424): as severe as the worst it tells of; its id and where to look as structured data. */
export function syslogLine(
  message: { readonly id: string; readonly tells: Tells },
  mail: Pick<MailText, "subject">,
  about: readonly { readonly detail: MailedIncident; readonly link: string }[],
  host: string,
  nowUs: EpochUs,
): string {
  const levels = about.map((a) => SEVERITIES.indexOf(a.detail.incident.severity as (typeof SEVERITIES)[number]));
  const severity = levels.length === 0 ? NOTICE : Math.min(...levels);
  const params = [
    ["id", message.id],
    ...about.flatMap(({ detail, link }) => [
      ["incident", String(detail.incident.id)],
      ["link", link],
    ]),
  ];
  const data = params.map(([name, value]) => `${name}="${escaped(value!)}"`).join(" ");
  const header = `<${FACILITY * 8 + severity}>1 ${formatUs(nowUs)} ${nameOf(host)} halvik - ${message.tells} [${SD_ID} ${data}]`;
  return `${header} ${BOM}${mail.subject.slice(0, TEXT_MOST).toWellFormed()}`;
}

/** RFC 5424 section 6.3.3: three characters of a value are escaped. */
const escaped = (value: string): string => value.replace(/[\\"\]]/g, (c) => `\\${c}`);
/** PRINTUSASCII, 255 at most (section 6.2.4). */
const nameOf = (host: string): string => host.replace(/[^!-~]/g, "").slice(0, 255) || "-";

/** Framed for a stream by its octets (RFC 6587 section 3.4.1, RFC 5425 section 4.3). @param bytes of the line */
export const octetCounted = (bytes: Uint8Array): string => `${bytes.length} `;
