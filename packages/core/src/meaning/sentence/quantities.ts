import type { Count } from "../../model/record/index.js";

/** Bytes in SI units, two or three digits: `1.2 MB`. */
export function bytesText(bytes: Count): string {
  const units = ["B", "kB", "MB", "GB", "TB", "PB"];
  let value = Number(bytes);
  let unit = 0;
  while (value >= 999.5 && unit < units.length - 1) {
    value /= 1000;
    unit++;
  }
  return `${unit === 0 || value >= 99.5 ? Math.round(value) : value.toFixed(1)} ${units[unit]}`;
}

export const countText = (n: Count, one: string, many: string): string =>
  `${n.toLocaleString("en")} ${n === 1 ? one : many}`;

/** An address with its port: brackets around IPv6 (RFC 3986 section 3.2.2). */
export function endText(address: string | null, port: number | null): string {
  const shown = address ?? "an unknown address";
  if (port === null) return shown;
  return address?.includes(":") ? `[${shown}]:${port}` : `${shown}:${port}`;
}
