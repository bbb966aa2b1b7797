import { cutText } from "../base/text/index.js";
import type { RecordContent } from "../model/record/index.js";
import { isValueToken, REST, skeletonOf, tokensOf, VALUE, type ValueSpan } from "./skeleton.js";

/**
 * What messages have in common that are alike but for their values: who says it, and the words in their order. A shape is only ever
 * widened, by a word that turns out to be a value, or taken into another; what it was called by stays its name.
 */
export interface MessageShape {
  /** 0: it has no name yet, and is in no store. */
  id: number;
  /** Who says it: kind, program, event, decision. Shapes of different origins never become one. */
  readonly origin: string;
  /** The words; values are `VALUE`. */
  tokens: readonly string[];
  /** For each value in order its number, from 1. A number once given stays that value's, whatever else turns out to be one. */
  numbers: readonly number[];
  /** One more with every widening. */
  version: number;
  /** The shape it was taken into; null: it stands by itself. */
  into: MessageShape | null;
}

/** A shape that stands by itself, for one that may have been taken into another. */
export function standing(shape: MessageShape): MessageShape {
  let root = shape;
  while (root.into !== null) root = root.into;
  return root;
}

/** Kinds whose events say what they are: their text is values, or our own words for the same event. */
const SAID_BY_EVENT: ReadonlySet<string> = new Set(["snmp", "windows", "halvik"]);
/** Beyond it an origin is not told apart from others that begin alike. */
const LONGEST_ORIGIN = 200;
const SEPARATOR = "\u0001";

/** What of a record decides its shape. */
export type Shaped = Pick<
  RecordContent,
  "kind" | "app" | "event" | "action" | "text" | "users" | "host" | "interface" | "flow"
>;

/** Numbers within the names of programs are instances; those of events are what they are. */
const withoutNumbers = (app: string): string => app.replaceAll(/\d+/g, "#");

/** Who says it: shapes are told apart by it before any word is looked at. */
export function originOf({ kind, app, event, action }: Shaped): string {
  const program = app === null ? "" : withoutNumbers(app);
  const origin = `${kind}${SEPARATOR}${program}${SEPARATOR}${event ?? ""}${SEPARATOR}${action ?? ""}`;
  return cutText(origin, LONGEST_ORIGIN);
}

/** The parts of an origin. */
export function originParts(origin: string): {
  kind: string;
  app: string | null;
  event: string | null;
  action: string | null;
} {
  const [kind = "", app = "", event = "", action = ""] = origin.split(SEPARATOR);
  return { kind, app: app || null, event: event || null, action: action || null };
}

/** The words of a record without its values. */
export const wordsOf = (content: Shaped, spans?: ValueSpan[]): string =>
  SAID_BY_EVENT.has(content.kind) && content.event !== null ? "" : skeletonOf(content.text, namesIn(content), spans);

function namesIn({ users, host, interface: port }: Shaped): readonly string[] {
  if (host === null && port === null) return users;
  const names = [...users];
  if (host !== null) names.push(host);
  if (port !== null) names.push(port);
  return names;
}

/** Whether messages have a shape at all: flows are counts, and say nothing. */
export const hasShape = ({ flow }: Shaped): boolean => flow === null;

/** Whether a shape says what these tokens say. */
export function isOf(tokens: readonly string[], shape: Pick<MessageShape, "tokens">): boolean {
  const own = shape.tokens;
  if (own.length !== tokens.length) return false;
  for (let i = 0; i < own.length; i++) {
    const [mine, theirs] = [own[i]!, tokens[i]!];
    if (mine !== theirs && !(isValueToken(mine) && isSpaced(mine) === isSpaced(theirs))) return false;
  }
  return true;
}

/** Whether a space stands before a token. */
export const isSpaced = (token: string): boolean => token.charCodeAt(0) === 0x20;

/** A shape as a person reads it: `Failed password for $1 from $2 port $3`. Of what says nothing but its event: null. */
export function shapeText({ tokens, numbers }: Pick<MessageShape, "tokens" | "numbers">): string | null {
  if (tokens.length === 0) return null;
  let next = 0;
  return tokens.map((token) => (isValueToken(token) ? token.replace(VALUE, `$$${numbers[next++]}`) : token)).join("");
}

/** The values a record has of its shape, by number; those it lacks, since it is of an earlier reading of its words, are missing. */
export function valuesOf(
  shape: Pick<MessageShape, "tokens" | "numbers">,
  content: Shaped,
): ReadonlyMap<number, string> {
  const spans: ValueSpan[] = [];
  const tokens = tokensOf(wordsOf(content, spans));
  const values = new Map<number, string>();
  if (!isOf(tokens, shape)) return values;
  let span = 0;
  let next = 0;
  for (let i = 0; i < tokens.length; i++) {
    const written = isValueToken(tokens[i]!) ? content.text.slice(...spans[span++]!) : tokens[i]!.trimStart();
    if (isValueToken(shape.tokens[i]!)) values.set(shape.numbers[next++]!, written);
  }
  return values;
}

/** Of what is beyond all bounds: every message of an origin that was not told apart. */
export const REST_TOKENS: readonly string[] = [REST];

/** Words that must stand in a phrase for it to say something by itself. */
const LEAST_LETTERS = 8;

/** The longest text that stands as it is in every message of a shape; null: none is long enough to tell it by. */
export function phraseOf({ tokens }: Pick<MessageShape, "tokens">): string | null {
  const runs = tokens
    .map((token) => (isValueToken(token) || token === REST ? VALUE : token))
    .join("")
    .split(VALUE);
  const longest = runs.map((run) => run.trim()).reduce((a, b) => (b.length > a.length ? b : a), "");
  return longest.replaceAll(/[^\p{L}]/gu, "").length < LEAST_LETTERS ? null : longest;
}
