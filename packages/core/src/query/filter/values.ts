import { type Network, parseNetwork } from "../../base/net/index.js";
import {
  clockToInstant,
  readRfc3339,
  US_PER_DAY,
  US_PER_MINUTE,
  US_PER_SECOND,
  unitUs,
} from "../../base/time/index.js";
import { type Count, MAX_COUNT, parseSeverity, SEVERITIES, type Severity, toCount } from "../../model/record/index.js";
import type { FilterError, Span } from "./ast.js";
import { FilterFault, type Lexer, type Token } from "./lexer.js";
import { nearest } from "./suggest.js";
import type { FilterField } from "./vocabulary.js";

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

/** Whether a word, in any case, means something to the language. */
export const isReserved = (word: string): boolean => RESERVED.has(word.toLowerCase());

export function textValue(lexer: Lexer, what: string): { text: string; quoted: boolean; span: Span } {
  const token = lexer.next();
  if (token.type === "quoted") return { text: token.text, quoted: true, span: token.span };
  if (token.type === "word" && !isReserved(token.text)) return { text: token.text, quoted: false, span: token.span };
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

export function choiceValue(lexer: Lexer, field: FilterField): string {
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
  return (
    parseNetwork(text) ??
    fault("WRONG_VALUE", `expected an address or a block such as 10.20.0.0/16, got "${text}"`, span, blockMeant(text))
  );
}

/** `10.20.*` and `10.20.0.0/255.255.0.0` as blocks. */
function blockMeant(text: string): string | null {
  const stars = /^((?:\d{1,3}\.){1,3})\*(?:\.\*)*$/.exec(text);
  if (stars !== null) {
    const octets = stars[1]!.split(".").slice(0, -1);
    return `${[...octets, ...Array.from({ length: 4 - octets.length }, () => "0")].join(".")}/${octets.length * 8}`;
  }
  const mask = /^(\d{1,3}(?:\.\d{1,3}){3})\/(\d{1,3}(?:\.\d{1,3}){3})$/.exec(text);
  if (mask === null) return null;
  const bits = mask[2]!
    .split(".")
    .map((o) => Number(o).toString(2).padStart(8, "0"))
    .join("");
  return /^1*0*$/.test(bits) ? `${mask[1]}/${bits.replaceAll("0", "").length}` : null;
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

/** What stands between two whole numbers, as the nearest of both: equal for a whole number. */
export interface Amount {
  readonly ceil: Count;
  readonly floor: Count;
}

/** One number with an optional unit or a name: `10`, `1.5 MB`, `4k`, `https`. */
export function numberValue(lexer: Lexer, field: FilterField): Amount {
  const token = lexer.next();
  if (token.type !== "word") return fault("EXPECTED", `expected a number, got ${describe(token)}`, token.span);
  const { text, span } = withUnit(lexer, token, field);
  return amount(text, field, span);
}

/** A number that may have a sign and decimals, as named values have them. */
export function decimalValue(lexer: Lexer): number {
  const token = lexer.next();
  if (token.type === "word" && /^[-+]?(?:\d{1,9}\.\d{1,6}|\d{1,15})$/.test(token.text)) return Number(token.text);
  return fault("EXPECTED", `expected a number such as 40 or 2.5, without a unit, got ${describe(token)}`, token.span);
}

/** A number, or a range `1..1023`. @returns inclusive bounds; of a number that is not whole, an empty range */
export function numberRange(lexer: Lexer, field: FilterField): [Count, Count] {
  const token = lexer.peek();
  const dots = token.type === "word" ? token.text.indexOf("..") : -1;
  if (dots <= 0 || token.type !== "word") {
    const { ceil, floor } = numberValue(lexer, field);
    return [ceil, floor];
  }
  lexer.next();
  const [low, high] = [token.text.slice(0, dots), token.text.slice(dots + 2)];
  const from = amount(low, field, token.span).ceil;
  const to = amount(high, field, token.span).floor;
  if (from > to) fault("WRONG_VALUE", `the range ${token.text} is empty`, token.span, `${high}..${low}`);
  return [from, to];
}

function withUnit(lexer: Lexer, token: Token & { type: "word" }, field: FilterField): { text: string; span: Span } {
  const mark = lexer.mark();
  const next = lexer.peek();
  if (next.type === "word" && /^[0-9.]+$/.test(token.text) && unitFactor(next.text, field) !== null) {
    lexer.next();
    return { text: token.text + next.text, span: { start: token.span.start, end: next.span.end } };
  }
  lexer.reset(mark);
  return { text: token.text, span: token.span };
}

/** Exact up to 2^63 − 1. */
function amount(text: string, field: FilterField, span: Span): Amount {
  const named = field.numberNames;
  if (named !== undefined && Object.hasOwn(named, text.toLowerCase())) {
    const value = named[text.toLowerCase()]!;
    return { ceil: value, floor: value };
  }
  const m = /^(\d{1,19})(?:\.(\d{1,6}))?([A-Za-z]*)$/.exec(text);
  const factor = m === null ? null : unitFactor(m[3]!, field);
  if (m === null || factor === null) {
    const units =
      field.unit === "bytes" ? " (units: B, kB, MB, GB, KiB, MiB, GiB)" : named === undefined ? "" : ", or has a name";
    return fault(
      "WRONG_VALUE",
      `${field.name} is a number${units}; got "${text}"`,
      span,
      // as people write ranges elsewhere
      /^\d+[-–]\d+$/.test(text)
        ? text.replace(/[-–]/, "..")
        : named === undefined
          ? null
          : nearest(text, Object.keys(named)),
    );
  }
  const scale = 10n ** BigInt(m[2]?.length ?? 0);
  const scaled = BigInt(m[1]! + (m[2] ?? "")) * BigInt(factor);
  const most = field.most ?? MAX_COUNT;
  if (scaled > BigInt(most) * scale)
    return fault(
      "WRONG_VALUE",
      `${field.type === "port" ? "a port" : field.name} is at most ${most}, got ${text}`,
      span,
    );
  const floor = scaled / scale;
  return { ceil: toCount(floor * scale === scaled ? floor : floor + 1n) ?? MAX_COUNT, floor: toCount(floor)! };
}

function unitFactor(unit: string, field: FilterField): number | null {
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
  const m = token.type === "word" ? /^(\d{1,6})([A-Za-z]*)$/.exec(token.text) : null;
  if (m === null) return fault("EXPECTED", `expected a duration such as 24 h, got ${describe(token)}`, token.span);
  let unit = m[2]!;
  let { span } = token;
  if (unit === "") {
    const next = lexer.next();
    if (next.type !== "word") return fault("EXPECTED", "expected a unit: s, min, h or d", token.span, `${m[1]} h`);
    unit = next.text;
    span = { start: span.start, end: next.span.end };
  }
  const us = unitUs(unit.toLowerCase());
  if (us !== undefined) return Number(m[1]) * us;
  const weeks = /^w(eeks?)?$/i.test(unit);
  const near = nearest(unit, ["s", "min", "h", "d", "minutes", "hours", "days"]);
  return fault(
    "WRONG_VALUE",
    `"${unit}" is no unit of time; there are s, min, h and d`,
    span,
    weeks ? `${Number(m[1]) * 7} d` : near === null ? null : `${m[1]} ${near}`,
  );
}

/** A moment, and how long what was written lasts: a day, a minute, a second, or nothing. */
export interface Moment {
  readonly us: number;
  readonly lastsUs: number;
}

/** An RFC 3339 time, with or without seconds and zone (then the reader's), or a date, or both with a space between. */
export function timeValue(lexer: Lexer, context: ValueContext): Moment {
  const { text: first, span: at, quoted } = textValue(lexer, "a time");
  let text = first;
  let span = at;
  const next = lexer.peek();
  if (!quoted && /^\d{4}-\d\d-\d\d$/.test(first) && next.type === "word" && /^\d\d:\d\d/.test(next.text)) {
    lexer.next();
    text = `${first}T${next.text}`;
    span = { start: at.start, end: next.span.end };
  }
  const m = /^(\d{4}-\d\d-\d\d)(?:[Tt ](\d\d:\d\d)(:\d\d(\.\d+)?)?([Zz]|[+-]\d\d:\d\d)?)?$/.exec(text);
  const full = m === null ? "" : `${m[1]}T${m[2] ?? "00:00"}${m[3] ?? ":00"}${m[5] ?? ""}`;
  const time = m === null ? null : readRfc3339(full);
  if (m === null || time === null || time.end !== full.length)
    return fault("WRONG_VALUE", `expected a time such as 2026-11-24T10:30 or 2026-11-24, got "${text}"`, span);
  return {
    us: time.offsetMinutes === null ? clockToInstant(context.zone, time.us) : time.us,
    lastsUs:
      m[2] === undefined ? US_PER_DAY : m[3] === undefined ? US_PER_MINUTE : m[4] === undefined ? US_PER_SECOND : 1,
  };
}

/** Text as it must be written in a filter: quoted where it is not one plain word. */
export function quoteIfNeeded(text: string): string {
  const plain = text !== "" && !/[\s(),"*?\\/“”„‟«»=<>≤≥≠!]|\.\.|^[A-Za-z]+:/.test(text) && !isReserved(text);
  return plain ? text : `"${text.replace(/["\\]/g, "\\$&")}"`;
}
