import { civilFromDays, formatUs, US_PER_DAY, US_PER_SECOND, zoneOffsetUs } from "@halvik/core/base/time";
import { type Device, ZONE } from "./devices.js";
import type { Said } from "./said.js";

const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/** The line a device sends: RFC 5424 with milliseconds in UTC, or RFC 3164 in the zone of its clock. */
export function writeLine(device: Device, said: Said, atUs: number): string {
  const pri = `<${said.facility * 8 + said.severity}>`;
  const clockUs = atUs + device.clockAheadSeconds * US_PER_SECOND;
  if (device.format === "RFC 5424") {
    const stamp = `${formatUs(clockUs).slice(0, 23)}Z`;
    return `${pri}1 ${stamp} ${device.name} ${said.app} ${said.process ?? "-"} ${said.messageId ?? "-"} ${said.data ?? "-"} ${said.text}`;
  }
  const tag = said.process === undefined ? said.app : `${said.app}[${said.process}]`;
  return `${pri}${bsdStamp(clockUs)} ${device.name} ${tag}: ${said.text}`;
}

function bsdStamp(us: number): string {
  const local = us + zoneOffsetUs(ZONE, us);
  const days = Math.floor(local / US_PER_DAY);
  const { month, day } = civilFromDays(days);
  const seconds = Math.floor((local - days * US_PER_DAY) / US_PER_SECOND);
  const two = (n: number) => String(n).padStart(2, "0");
  return `${MONTHS[month - 1]} ${String(day).padStart(2, " ")} ${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
}
