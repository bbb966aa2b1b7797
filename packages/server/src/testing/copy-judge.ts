import { isIP } from "node:net";
import type { CopyType, IdParts } from "../store/copy-binary.js";

const whole = (least: number, most: number) => (v: unknown) =>
  Number.isInteger(v) && (v as number) >= least && (v as number) <= most;
const int8 = (v: bigint): boolean => BigInt.asIntN(64, v) === v;
const text = (v: unknown): boolean => typeof v === "string" && !v.includes("\0") && v.isWellFormed();

/** A zone is no part of an address that PostgreSQL keeps. */
const inet = (v: unknown): boolean => typeof v === "string" && isIP(v) !== 0 && !v.includes("%");

/** Of texts in JSON: PostgreSQL's jsonb takes neither \u0000 nor half a surrogate pair (its documentation, 8.14). */
function json(v: unknown): boolean {
  if (typeof v === "string") return text(v);
  if (Array.isArray(v)) return v.every(json);
  if (typeof v === "object" && v !== null) return Object.entries(v).every(([name, one]) => text(name) && json(one));
  return true;
}

const FITS: Readonly<Record<CopyType, (value: unknown) => boolean>> = {
  int2: whole(-0x8000, 0x7fff),
  int4: whole(-0x8000_0000, 0x7fff_ffff),
  int8: (v) => (typeof v === "bigint" ? int8(v) : Number.isSafeInteger(v)),
  "record id": (v) => {
    const { us, collector } = v as IdParts;
    return us >= 0 && whole(0, 1_023)(collector) && int8(BigInt(us) * 1_024n + BigInt(collector));
  },
  "id text": (v) => typeof v === "string" && /^-?\d{1,19}$/.test(v) && int8(BigInt(v)),
  text,
  inet,
  jsonb: json,
  bytea: (v) => v instanceof Uint8Array && v.length < 0x3fff_ffff,
  "text[]": (v) => (v as readonly unknown[]).every(text),
  "inet[]": (v) => (v as readonly unknown[]).every(inet),
};

/**
 * Whether a column takes a value as it is. Stricter than COPY, which the encoder never shows a number that is too great: it would write
 * another one. `copy-binary.test.ts` holds it against PostgreSQL.
 */
export const takes = (type: CopyType, value: unknown): boolean =>
  value === null || value === undefined || FITS[type](value);
