import { canonicalAddress, type Network, parseNetwork } from "../net/index.js";
import { type Field, parseSeverity, SEVERITIES, type Severity } from "../record/index.js";
import { clockToInstant, readRfc3339, unitUs } from "../time/index.js";
import type { FilterError, Span } from "./ast.js";
import { FilterFault, type Lexer, type Token } from "./lexer.js";
import { nearest } from "./suggest.js";

/** What reading a value may need to know. */
export interface ValueContext {
  readonly zone: string;
}

export function fault(code: FilterError["code"], message: string, span: Span, suggestion: string | null = null): never {
  throw new FilterFault({ code, message, span, suggestion });
}

export const describe = (token: Token): string =>
  token.type === "end"
    ? "the end"
    : token.type === "word" || token.type === "quoted" || token.type === "pattern"
      ? `"${token.text}"`
      : `"${token.type}"`;

/** Words that mean something to the language and are quoted when meant as text. */
export const RESERVED = new Set([
  "and",
  "or",
  "not",
  "is",
  "in",
  "within",
  "has",
  "like",
  "matches",
  "over",
  "under",
  "at",
  "between",
  "present",
  "missing",
]);

export function textValue(lexer: Lexer, what: string): { text: string; quoted: boolean; span: Span } {
  const token = lexer.next();
  if (token.type === "quoted") return { text: token.text, quoted: true, span: token.span };
  if (token.type === "word" && !RESERVED.has(token.text)) return { text: token.text, quoted: false, span: token.span };
  const suggestion = token.type === "word" ? `"${token.text}"` : null;
  return fault("EXPECTED", `expected ${what}, got ${describe(token)}`, token.span, suggestion);
}

export function severityValue(lexer: Lexer): Severity {
  const { text, span } = textValue(lexer, "a severity");
  const severity = parseSeverity(text);
  if (severity === null)
    fault(
      "UNKNOWN_VALUE",
      `"${text}" is no severity; there are ${SEVERITIES.join(", ")}`,
      span,
      nearest(text, SEVERITIES),
    );
  return severity;
}

export function choiceValue(lexer: Lexer, field: Field): string {
  const { text, span } = textValue(lexer, `a ${field.name}`);
  const choices = field.choices ?? [];
  // "log tampering" may be written without quotes
  if (!choices.includes(text.toLowerCase())) {
    const mark = lexer.mark();
    const next = lexer.peek();
    if (next.type === "word" && choices.includes(`${text} ${next.text}`.toLowerCase())) {
      lexer.next();
      return `${text} ${next.text}`.toLowerCase();
    }
    lexer.reset(mark);
    const near = nearest(text, choices);
    fault(
      "UNKNOWN_VALUE",
      `"${text}" is no ${field.name}; there are ${choices.join(", ")}`,
      span,
      near === null ? null : quoteIfNeeded(near),
    );
  }
  return text.toLowerCase();
}

export function networkValue(lexer: Lexer): Network {
  const { text, span } = textValue(lexer, "an address");
  const network = parseNetwork(text);
  if (network === null)
    fault("WRONG_VALUE", `expected an address or a block such as 10.20.0.0/16, got "${text}"`, span);
  return network;
}

/** A single address, or a whole block where `is` may take one. */
export function isAddress(text: string): boolean {
  return canonicalAddress(text) !== null;
}

const BYTE_UNITS: Readonly<Record<string, number>> = {
  b: 1,
  kb: 1e3,
  mb: 1e6,
  gb: 1e9,
  tb: 1e12,
  kib: 1024,
  mib: 1024 ** 2,
  gib: 1024 ** 3,
  tib: 1024 ** 4,
};

/** A number with an optional unit, `10`, `1.5 MB`, `4k`; or a range `1..1023`. Inclusive bounds. */
export function numberRange(lexer: Lexer, field: Field): [number, number] {
  const token = lexer.next();
  if (token.type !== "word") return fault("EXPECTED", `expected a number, got ${describe(token)}`, token.span);
  const dots = token.text.indexOf("..");
  if (dots > 0) {
    const from = plainNumber(token.text.slice(0, dots), field, token.span);
    const to = plainNumber(token.text.slice(dots + 2), field, token.span);
    if (from > to)
      return fault(
        "WRONG_VALUE",
        `the range ${token.text} is empty`,
        token.span,
        `${token.text.slice(dots + 2)}..${token.text.slice(0, dots)}`,
      );
    return [Math.ceil(from), Math.floor(to)];
  }
  let text = token.text;
  const next = lexer.peek();
  if (next.type === "word" && /^[0-9.]+$/.test(text) && unitFactor(next.text, field) !== null)
    text += lexer.next().type === "word" ? next.text : "";
  const value = plainNumber(text, field, token.span);
  return [value, value];
}

function plainNumber(text: string, field: Field, span: Span): number {
  const m = /^(\d{1,15}(?:\.\d{1,6})?)([A-Za-z]*)$/.exec(text);
  const factor = m === null ? null : unitFactor(m[2]!, field);
  if (m === null || factor === null) {
    const units = field.unit === "bytes" ? " (units: B, kB, MB, GB, KiB, MiB, GiB)" : "";
    return fault("WRONG_VALUE", `${field.name} is a number${units}; got "${text}"`, span);
  }
  const value = Number(m[1]) * factor;
  if (field.type === "port" && value > 65_535)
    return fault("WRONG_VALUE", `a port is at most 65535, got ${text}`, span);
  return value;
}

function unitFactor(unit: string, field: Field): number | null {
  if (unit === "") return 1;
  if (field.unit === "bytes") {
    const folded = unit.toLowerCase();
    return Object.hasOwn(BYTE_UNITS, folded) ? BYTE_UNITS[folded]! : null;
  }
  return unit === "k" ? 1e3 : unit === "M" ? 1e6 : unit === "G" ? 1e9 : null;
}

/** `24 h`, `90min`. @returns µs */
export function durationValue(lexer: Lexer): number {
  const token = lexer.next();
  const m = token.type === "word" ? /^(\d{1,6})([a-z]*)$/.exec(token.text) : null;
  if (m === null) return fault("EXPECTED", `expected a duration such as 24 h, got ${describe(token)}`, token.span);
  let unit = m[2]!;
  if (unit === "") {
    const next = lexer.next();
    if (next.type !== "word") return fault("EXPECTED", "expected a unit: s, min, h or d", next.span, null);
    unit = next.text;
  }
  const us = unitUs(unit);
  if (us === undefined)
    return fault(
      "WRONG_VALUE",
      `"${unit}" is no unit of time; there are s, min, h and d`,
      token.span,
      nearest(unit, ["s", "min", "h", "d", "minutes", "hours", "days"]),
    );
  return Number(m[1]) * us;
}

/** An RFC 3339 time, with or without seconds and zone (then the reader's), or a date. @returns µs */
export function timeValue(lexer: Lexer, context: ValueContext): number {
  const { text, span } = textValue(lexer, "a time");
  const full = /^\d{4}-\d\d-\d\d$/.test(text)
    ? `${text}T00:00:00`
    : /^\d{4}-\d\d-\d\d[T ]\d\d:\d\d$/.test(text)
      ? `${text}:00`
      : text;
  const time = readRfc3339(full);
  if (time === null || time.end !== full.length)
    return fault("WRONG_VALUE", `expected a time such as 2026-11-24T10:30 or 2026-11-24, got "${text}"`, span);
  return time.offsetMinutes === null ? clockToInstant(context.zone, time.us) : time.us;
}

/** Text as it must be written in a filter: quoted where it is not one plain word. */
export function quoteIfNeeded(text: string): string {
  const plain = text !== "" && !/[\s(),"*?\\/]/.test(text) && !RESERVED.has(text);
  return plain ? text : `"${text.replace(/["\\]/g, "\\$&")}"`;
}
