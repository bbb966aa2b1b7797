import { fold } from "../../base/text/index.js";
import type { HalvikRecord } from "./record.js";

/** What first and last times are kept of, beyond the records themselves. Stored as the index: append only. */
export const SIGHTED = ["host", "user", "address", "app", "event", "hash"] as const;
export type Sighted = (typeof SIGHTED)[number];

/** Longer values have no first and last time: they are texts, not names. */
export const LONGEST_SIGHTED = 200;

/** MD5, SHA-1, SHA-256 and SHA-512 in hexadecimal digits (RFC 1321, FIPS 180-4). */
const HASH = /^(?:[0-9a-f]{32}|[0-9a-f]{40}|[0-9a-f]{64}|[0-9a-f]{128})$/i;
/** Several in one value, as `SHA256=…,MD5=…`. */
const MOST_HASHES = 8;

/**
 * The values of a record that are kept track of, as they are told apart: in lower case where filters fold. Each once.
 * @param visit told which of `SIGHTED`, and the value
 */
export function eachSighted(record: HalvikRecord, visit: (of: number, value: string) => void): void {
  const told = (of: number, value: string) => {
    if (value !== "" && value.length <= LONGEST_SIGHTED) visit(of, value);
  };
  if (record.host !== null) told(0, fold(record.host));
  const { users, src, dst, otherAddresses } = record;
  if (users.length === 1) told(1, fold(users[0]!));
  else for (const user of new Set(users.map(fold))) told(1, user);
  if (src !== null) told(2, src);
  if (dst !== null && dst !== src) told(2, dst);
  for (const [i, other] of otherAddresses.entries())
    if (other !== src && other !== dst && otherAddresses.indexOf(other) === i) told(2, other);
  if (record.app !== null) told(3, fold(record.app));
  if (record.event !== null) told(4, record.event);
  for (const [name, value] of record.data)
    if (value.length >= 32 && value.length <= 1_000) for (const hash of hashesIn(name, value)) told(5, hash);
}

/** Hashes of files: a value that is one, or those in a value that is called so. */
export function hashesIn(name: string, value: string): readonly string[] {
  if (HASH.test(value)) return [value.toLowerCase()];
  if (!/hash/i.test(name)) return [];
  return value
    .split(/[^0-9A-Za-z]+/, MOST_HASHES * 4)
    .filter((part) => HASH.test(part))
    .slice(0, MOST_HASHES)
    .map((part) => part.toLowerCase());
}
