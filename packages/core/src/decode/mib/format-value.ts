import { formatDuration, US_PER_MS } from "../../base/time/index.js";
import type { MibNames, MibNode } from "./names.js";

const TICK_US = 10 * US_PER_MS;

/**
 * A stored value in words: named numbers and bits, display hints, units, names of identifiers. Octets that are no text stand
 * as `0x…`. What no module explains stays as it is.
 */
export function formatMibValue(value: string, node: MibNode, names: MibNames): string {
  const { type } = node;
  if (type === null) return value;
  const { base, names: labels, hint } = type;
  if (base === "BITS" || (base === "OCTET STRING" && labels !== null)) return bitNames(value, labels) ?? value;
  if (labels !== null) {
    const label = /^-?\d+$/.test(value) ? labels.get(Number(value)) : undefined;
    return label === undefined ? value : `${label} (${value})`;
  }
  if (base === "TimeTicks" && /^\d+$/.test(value)) return formatDuration(Number(value) * TICK_US);
  if (base === "OBJECT IDENTIFIER") {
    const found = names.find(value);
    return found ? (found.instance === "" ? found.node.name : `${found.node.name}.${found.instance}`) : value;
  }
  const shown = hint === null ? value : (byHint(value, hint) ?? value);
  return node.units === null ? shown : `${shown} ${node.units}`;
}

/** BITS: bit 0 is the highest of the first octet (RFC 2578 section 7.1.4). */
function bitNames(value: string, labels: ReadonlyMap<number, string> | null): string | null {
  const bytes = octetsOf(value);
  const set: string[] = [];
  for (const [i, byte] of bytes.entries())
    for (let bit = 0; bit < 8; bit++)
      if (byte & (0x80 >> bit)) set.push(labels?.get(i * 8 + bit) ?? String(i * 8 + bit));
  return set.length === 0 ? "none" : set.join(", ");
}

function octetsOf(value: string): Uint8Array {
  if (/^0x([0-9a-f]{2})*$/.test(value))
    return Uint8Array.from(
      value
        .slice(2)
        .match(/../g)
        ?.map((h) => Number.parseInt(h, 16)) ?? [],
    );
  return new TextEncoder().encode(value);
}

/** RFC 2579 section 3.1. @returns null when the hint or value is none */
export function byHint(value: string, hint: string): string | null {
  const integer = /^d-(\d{1,2})$/.exec(hint);
  if (integer) {
    if (!/^-?\d+$/.test(value)) return null;
    const places = Number(integer[1]);
    const digits = value.replace("-", "").padStart(places + 1, "0");
    return `${value.startsWith("-") ? "-" : ""}${digits.slice(0, -places)}.${digits.slice(-places)}`;
  }
  if (/^[dxob]$/.test(hint))
    return /^-?\d+$/.test(value) ? Number(value).toString({ d: 10, x: 16, o: 8, b: 2 }[hint]) : null;
  // text in one piece needs no hint
  if (/^\d+[at]$/.test(hint)) return value;
  const specs = [...hint.matchAll(/(\*)?(\d{1,3})([adoxt])([^\d*])?([^\d*])?/g)];
  if (specs.length === 0) return null;
  const bytes = octetsOf(value);
  let out = "";
  let at = 0;
  for (let i = 0; at < bytes.length; i++) {
    // the last specification repeats
    const [, repeat, lengthText, format, separator] = specs[Math.min(i, specs.length - 1)]!;
    const times = repeat ? bytes[at++]! : 1;
    for (let n = 0; n < times && at < bytes.length; n++) {
      const part = bytes.subarray(at, at + Number(lengthText));
      if (part.length === 0) return null;
      at += part.length;
      out += part0(part, format!);
      if (separator !== undefined && at < bytes.length) out += separator;
    }
  }
  return out;
}

function part0(bytes: Uint8Array, format: string): string {
  if (format === "a" || format === "t") return new TextDecoder().decode(bytes);
  let n = 0n;
  for (const b of bytes) n = n * 256n + BigInt(b);
  return format === "x" ? n.toString(16).padStart(bytes.length * 2, "0") : n.toString(format === "o" ? 8 : 10);
}
