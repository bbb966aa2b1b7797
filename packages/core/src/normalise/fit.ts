import type { DecodeProblem } from "../base/bytes/index.js";
import type { ContentDraft, FlowFacts, Mark, RecordContent } from "../model/record/index.js";

/** The most characters (UTF-16 units) of each text; RFC 1035 section 2.3.4 for host names, the rest our own. */
export const TEXT_BOUNDS = {
  host: 255,
  app: 255,
  process: 1_024,
  event: 1_024,
  interface: 255,
  deviceTime: 255,
  originalSeverity: 255,
  text: 262_144,
  head: 65_536,
  tail: 65_536,
} as const satisfies Partial<Record<keyof RecordContent, number>>;

/** The greatest value of each number; the least is 0. Those of a port or an octet are the protocol's own. */
export const NUMBER_BOUNDS = {
  srcPort: 65_535,
  dstPort: 65_535,
  protocol: 255,
  facility: 23,
} as const satisfies Partial<Record<keyof RecordContent, number>>;

const U32 = 0xffff_ffff;
/** The last moment a record can have, in µs: 2099. The keys of the rollups hold until 2129. */
export const MAX_TIME_US = 4_102_444_799_999_999;

export const FLOW_BOUNDS = {
  startUs: MAX_TIME_US,
  ingress: U32,
  egress: U32,
  tos: 255,
  tcpFlags: 65_535,
  icmp: 65_535,
  srcAs: U32,
  dstAs: U32,
  srcMask: 128,
  dstMask: 128,
  vlan: 65_535,
  direction: 255,
} as const satisfies Partial<Record<keyof FlowFacts, number>>;

const MAX_USERS = 64;
const MAX_USER = 255;
const MAX_ADDRESSES = 200;
const MAX_DATA = 4_000;
const MAX_NAME = 1_024;
const MAX_VALUE = 65_536;
const MAX_PROBLEM = 1_000;
const MAX_OFFSET_MS = 0x7fff_ffff;

const TEXTS = Object.keys(TEXT_BOUNDS) as (keyof typeof TEXT_BOUNDS)[];
const NUMBERS = Object.keys(NUMBER_BOUNDS) as (keyof typeof NUMBER_BOUNDS)[];
const FLOW_NUMBERS = Object.keys(FLOW_BOUNDS) as (keyof typeof FLOW_BOUNDS)[];

/**
 * A content that any store takes, whatever was sent: every text free of U+0000 and well-formed, every value within its bound. What
 * does not fit is cut, or taken out and kept among the named values as it came; the record says so by its mark and problem. The usual
 * content, which fits, comes back as it is.
 * @param bytes the message as it arrived, kept where its text had to be changed
 */
export function fitContent(content: RecordContent, bytes: Uint8Array): RecordContent {
  if (isFitting(content)) return content;
  const fitting = new Fitting(content);
  for (const name of TEXTS) {
    const text = content[name];
    if (text !== null && !isFit(text, TEXT_BOUNDS[name])) fitting.text(name, bytes);
  }
  for (const name of NUMBERS) {
    const n = content[name];
    if (n !== null && !(n >= 0 && n <= NUMBER_BOUNDS[name])) {
      fitting.beyond(name, n, NUMBER_BOUNDS[name]);
      fitting.draft[name] = null;
    }
  }
  if (!(content.receivedUs >= 0 && content.receivedUs <= MAX_TIME_US)) fitting.received();
  if (!(content.timeUs >= 0 && content.timeUs <= MAX_TIME_US)) fitting.time();
  if (!(Math.abs(content.clockOffsetMs) <= MAX_OFFSET_MS)) fitting.draft.clockOffsetMs = 0;
  if (content.flow !== null) fitFlow(content.flow, fitting);
  if (content.users.length > MAX_USERS || content.users.some((u) => !isFit(u, MAX_USER))) {
    fitting.fault("TOO_LONG", `users: expected at most ${MAX_USERS} of ${MAX_USER} characters of Unicode text each`);
    fitting.draft.users = content.users.slice(0, MAX_USERS).map((u) => fitText(u, MAX_USER));
  }
  if (content.otherAddresses.length > MAX_ADDRESSES)
    fitting.draft.otherAddresses = content.otherAddresses.slice(0, MAX_ADDRESSES);
  if (content.translated !== null) fitTranslation(content.translated, fitting);
  if (content.problem !== null && !isFit(content.problem.message, MAX_PROBLEM))
    fitting.draft.problem = { ...content.problem, message: fitText(content.problem.message, MAX_PROBLEM) };
  if (!fitsData(content.data)) fitting.data(content.data);
  return fitting.done();
}

/**
 * Whether a content fits as it is, as nearly all do: named one by one, since members asked for by a variable's name cost as much as
 * decoding does. What a member must be is `fitContent`'s to say; the two are held against each other in `fit.test.ts`.
 */
function isFitting(c: RecordContent): boolean {
  return (
    fits(c.host, TEXT_BOUNDS.host) &&
    fits(c.app, TEXT_BOUNDS.app) &&
    fits(c.process, TEXT_BOUNDS.process) &&
    fits(c.event, TEXT_BOUNDS.event) &&
    fits(c.interface, TEXT_BOUNDS.interface) &&
    fits(c.deviceTime, TEXT_BOUNDS.deviceTime) &&
    fits(c.originalSeverity, TEXT_BOUNDS.originalSeverity) &&
    fits(c.text, TEXT_BOUNDS.text) &&
    fits(c.head, TEXT_BOUNDS.head) &&
    fits(c.tail, TEXT_BOUNDS.tail) &&
    within(c.srcPort, NUMBER_BOUNDS.srcPort) &&
    within(c.dstPort, NUMBER_BOUNDS.dstPort) &&
    within(c.protocol, NUMBER_BOUNDS.protocol) &&
    within(c.facility, NUMBER_BOUNDS.facility) &&
    within(c.receivedUs, MAX_TIME_US) &&
    within(c.timeUs, MAX_TIME_US) &&
    within(Math.abs(c.clockOffsetMs), MAX_OFFSET_MS) &&
    (c.flow === null || isFittingFlow(c.flow)) &&
    c.users.length <= MAX_USERS &&
    c.users.every(isFitUser) &&
    c.otherAddresses.length <= MAX_ADDRESSES &&
    (c.translated === null || (within(c.translated.srcPort, 65_535) && within(c.translated.dstPort, 65_535))) &&
    (c.problem === null || isFit(c.problem.message, MAX_PROBLEM)) &&
    fitsData(c.data)
  );
}

const isFittingFlow = (f: FlowFacts): boolean =>
  within(f.startUs, FLOW_BOUNDS.startUs) &&
  within(f.ingress, FLOW_BOUNDS.ingress) &&
  within(f.egress, FLOW_BOUNDS.egress) &&
  within(f.tos, FLOW_BOUNDS.tos) &&
  within(f.tcpFlags, FLOW_BOUNDS.tcpFlags) &&
  within(f.icmp, FLOW_BOUNDS.icmp) &&
  within(f.srcAs, FLOW_BOUNDS.srcAs) &&
  within(f.dstAs, FLOW_BOUNDS.dstAs) &&
  within(f.srcMask, FLOW_BOUNDS.srcMask) &&
  within(f.dstMask, FLOW_BOUNDS.dstMask) &&
  within(f.vlan, FLOW_BOUNDS.vlan) &&
  within(f.direction, FLOW_BOUNDS.direction) &&
  fits(f.application, TEXT_BOUNDS.app);

const fits = (text: string | null, most: number): boolean => text === null || isFit(text, most);
const within = (n: number | null, most: number): boolean => n === null || (n >= 0 && n <= most);
const isFitUser = (user: string): boolean => isFit(user, MAX_USER);

/** Collects what has to be changed; copies the content at the first change. */
class Fitting {
  private changed: ContentDraft | null = null;
  private problem: DecodeProblem | null = null;
  private readonly kept: (readonly [string, string])[] = [];

  constructor(private readonly content: RecordContent) {}

  get draft(): ContentDraft {
    this.changed ??= { ...this.content };
    return this.changed;
  }

  /** The first fault is the record's problem; those after it are seen in what was cut. */
  fault(code: DecodeProblem["code"], message: string): void {
    this.problem ??= { code, offset: 0, message };
  }

  text(name: keyof typeof TEXT_BOUNDS, bytes: Uint8Array): void {
    const text = this.content[name]!;
    const most = TEXT_BOUNDS[name];
    if (text.length > most) this.fault("TOO_LONG", `${name}: expected at most ${most} characters, got ${text.length}`);
    else if (!text.isWellFormed()) this.fault("BAD_VALUE", `${name}: expected Unicode text, got half a surrogate pair`);
    this.draft[name] = fitText(text, most);
    this.draft.raw ??= bytes;
  }

  beyond(name: string, value: number, most: number): void {
    this.fault("BAD_VALUE", `${name}: expected 0 to ${most}, got ${value}`);
    this.kept.push([`unreadable ${name}`, String(value)]);
  }

  received(): void {
    this.fault("BAD_VALUE", `arrival: expected a time from 1970 to 2099, got ${this.content.receivedUs} µs`);
    this.draft.receivedUs = this.content.receivedUs > 0 ? MAX_TIME_US : 0;
  }

  time(): void {
    this.draft.timeUs = this.draft.receivedUs;
    this.draft.timeReason = this.content.timeUs > 0 ? "arrival: too far ahead" : "arrival: too far behind";
  }

  data(data: RecordContent["data"]): void {
    if (data.length > MAX_DATA || data.some(([n, v]) => n.length > MAX_NAME || v.length > MAX_VALUE))
      this.fault(
        "TOO_LONG",
        `named values: expected at most ${MAX_DATA} of ${MAX_VALUE} characters each, got ${data.length}`,
      );
    else if (!data.every(([n, v]) => n.isWellFormed() && v.isWellFormed()))
      this.fault("BAD_VALUE", "named values: expected Unicode text, got half a surrogate pair");
    this.draft.data = data.slice(0, MAX_DATA).map(([n, v]) => [fitText(n, MAX_NAME), fitText(v, MAX_VALUE)]);
  }

  done(): RecordContent {
    if (this.kept.length > 0) this.draft.data = [...this.draft.data, ...this.kept];
    if (this.problem !== null) {
      this.draft.problem ??= this.problem;
      if (!this.draft.marks.includes("problem")) this.draft.marks = [...this.draft.marks, "problem" as Mark];
    }
    return this.changed ?? this.content;
  }
}

function fitFlow(flow: FlowFacts, fitting: Fitting): void {
  let draft: { -readonly [K in keyof FlowFacts]: FlowFacts[K] } | null = null;
  for (const name of FLOW_NUMBERS) {
    const n = flow[name];
    if (n === null || (n >= 0 && n <= FLOW_BOUNDS[name])) continue;
    fitting.beyond(name, n, FLOW_BOUNDS[name]);
    draft ??= { ...flow };
    draft[name] = null;
  }
  if (flow.application !== null && !isFit(flow.application, TEXT_BOUNDS.app)) {
    draft ??= { ...flow };
    draft.application = fitText(flow.application, TEXT_BOUNDS.app);
  }
  if (draft !== null) fitting.draft.flow = draft;
}

function fitTranslation(t: NonNullable<RecordContent["translated"]>, fitting: Fitting): void {
  const fits = (port: number | null) => port === null || (port >= 0 && port <= NUMBER_BOUNDS.srcPort);
  if (fits(t.srcPort) && fits(t.dstPort)) return;
  fitting.fault("BAD_VALUE", `translated ports: expected 0 to 65535, got ${t.srcPort} and ${t.dstPort}`);
  fitting.draft.translated = {
    ...t,
    srcPort: fits(t.srcPort) ? t.srcPort : null,
    dstPort: fits(t.dstPort) ? t.dstPort : null,
  };
}

function fitsData(data: RecordContent["data"]): boolean {
  if (data.length > MAX_DATA) return false;
  for (let i = 0; i < data.length; i++) {
    const pair = data[i]!;
    if (!isFit(pair[0], MAX_NAME) || !isFit(pair[1], MAX_VALUE)) return false;
  }
  return true;
}

/** Up to here a loop over ASCII is faster than two calls into the runtime. */
const SHORT = 32;

function isFit(text: string, most: number): boolean {
  const { length } = text;
  if (length > most) return false;
  if (length <= SHORT) {
    let i = 0;
    for (; i < length; i++) {
      const code = text.charCodeAt(i);
      if (code === 0) return false;
      if (code > 127) break;
    }
    if (i === length) return true;
  }
  return !text.includes("\0") && text.isWellFormed();
}

/** Text within a bound, U+0000 as a visible mark (`docs/semantics.md` 7), half a surrogate pair as U+FFFD. */
export const fitText = (text: string, most: number): string =>
  text.slice(0, most).replaceAll("\0", "\u2400").toWellFormed();
