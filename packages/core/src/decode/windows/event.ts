import { DecodeError, type DecodeProblem } from "../../base/bytes/index.js";
import { type EpochUs, readRfc3339 } from "../../base/time/index.js";
import { EventCutter } from "./cut-events.js";
import { type XmlElement, XmlReader } from "./xml.js";

/** Keyword bits of the Security log (published Event schema). */
const AUDIT_SUCCESS = 0x0020_0000_0000_0000n;
const AUDIT_FAILURE = 0x0010_0000_0000_0000n;
const MAX_DATA = 400;

/** A Windows event as published event XML describes it. */
export interface WindowsEvent {
  readonly provider: string;
  readonly eventId: number;
  readonly version: number | null;
  /** 0 log always, 1 critical, 2 error, 3 warning, 4 information, 5 verbose. */
  readonly level: number;
  readonly task: string | null;
  readonly opcode: string | null;
  readonly keywords: string | null;
  readonly audit: "success" | "failure" | null;
  readonly timeText: string | null;
  readonly timeUs: EpochUs | null;
  /** Exceeds 2^53: kept as text. */
  readonly recordId: string | null;
  readonly processId: string | null;
  readonly threadId: string | null;
  readonly log: string | null;
  readonly computer: string | null;
  readonly userSid: string | null;
  /** Named values in order; unnamed ones go by their place, from 1. Names may repeat. */
  readonly data: readonly (readonly [name: string, value: string])[];
  /** The sender's own rendering; it explains, and never overrides what System says. */
  readonly message: string | null;
}

/**
 * An event from its element.
 * @throws {DecodeError} BAD_XML when it has no System with provider and id
 */
export function readEvent(event: XmlElement): WindowsEvent {
  const system = child(event, "System");
  const provider = system && attribute(child(system, "Provider"), "Name");
  const idText = system && textOf(system, "EventID");
  if (!system || !provider || !idText || !/^\d{1,10}$/.test(idText))
    throw new DecodeError(
      "BAD_XML",
      event.start,
      `Event: expected System with Provider Name and a numeric EventID, got ${system ? `provider ${provider ?? "none"}, id ${idText ?? "none"}` : "no System"}`,
    );
  const keywords = textOf(system, "Keywords");
  const timeText = attribute(child(system, "TimeCreated"), "SystemTime");
  const time = timeText === null ? null : readRfc3339(timeText);
  const execution = child(system, "Execution");
  const rendering = child(event, "RenderingInfo");
  return {
    provider,
    eventId: Number(idText),
    version: small(textOf(system, "Version")),
    level: small(textOf(system, "Level")) ?? 0,
    task: textOf(system, "Task"),
    opcode: textOf(system, "Opcode"),
    keywords,
    audit: auditOf(keywords),
    timeText,
    timeUs: time === null ? null : time.us,
    recordId: digits(textOf(system, "EventRecordID")),
    processId: attribute(execution, "ProcessID"),
    threadId: attribute(execution, "ThreadID"),
    log: textOf(system, "Channel"),
    computer: textOf(system, "Computer"),
    userSid: attribute(child(system, "Security"), "UserID"),
    data: [...eventData(child(event, "EventData")), ...userData(child(event, "UserData"))].slice(0, MAX_DATA),
    message: rendering && textOf(rendering, "Message"),
  };
}

/** Events of a document: one, several after another, or several inside one root. Each comes with its own XML. */
export function* readEvents(
  text: string,
): Generator<{ readonly xml: string; readonly event: WindowsEvent } | { readonly problem: DecodeProblem }> {
  const cutter = new EventCutter();
  for (const pieces of [() => cutter.push(text), () => cutter.end()])
    for (const cut of pieces()) {
      const read = "problem" in cut ? { problem: cut.problem } : readOne(cut.xml);
      yield read;
      // a forbidden document is refused whole: what else it holds is not to be trusted
      if ("problem" in read && read.problem.code === "FORBIDDEN_XML") return;
    }
}

function readOne(
  xml: string,
): { readonly xml: string; readonly event: WindowsEvent } | { readonly problem: DecodeProblem } {
  try {
    return { xml, event: parseEvent(xml) };
  } catch (e) {
    if (!(e instanceof DecodeError)) throw e;
    return { problem: { code: e.code, offset: e.offset, message: e.message } };
  }
}

/** The one event of a record's own XML. @throws {DecodeError} */
export function parseEvent(xml: string): WindowsEvent {
  const reader = new XmlReader(xml);
  const element = reader.next();
  if (element === null) throw new DecodeError("EMPTY", 0, "XML: expected an event, got nothing");
  return readEvent(element);
}

function eventData(element: XmlElement | null): (readonly [string, string])[] {
  if (element === null) return [];
  const out: (readonly [string, string])[] = [];
  let place = 0;
  for (const data of element.children) {
    place++;
    if (data.name === "Data") out.push([attribute(data, "Name") || String(place), data.text]);
    else if (data.name === "ComplexData") out.push([attribute(data, "Name") || String(place), flat(data)]);
    else if (data.name === "Binary" && data.text !== "") out.push(["Binary", data.text]);
  }
  return out;
}

/** UserData holds one element of the provider's own, in a namespace of its own. */
function userData(element: XmlElement | null): (readonly [string, string])[] {
  const out: (readonly [string, string])[] = [];
  const walk = (e: XmlElement, prefix: string) => {
    const name = prefix === "" ? e.name : `${prefix}.${e.name}`;
    if (e.children.length === 0) {
      if (out.length < MAX_DATA) out.push([name, e.text]);
    } else for (const c of e.children) walk(c, name);
  };
  for (const own of element?.children ?? []) {
    out.push(...own.attributes);
    for (const c of own.children) walk(c, "");
  }
  return out;
}

const flat = (e: XmlElement): string => (e.children.length === 0 ? e.text : e.children.map(flat).join(" "));

function child(e: XmlElement, name: string): XmlElement | null {
  for (const c of e.children) if (c.name === name) return c;
  return null;
}

function attribute(e: XmlElement | null, name: string): string | null {
  for (const [n, value] of e?.attributes ?? []) if (n === name) return value;
  return null;
}

function textOf(e: XmlElement, name: string): string | null {
  const text = child(e, name)?.text.trim();
  return text ? text : null;
}

const digits = (text: string | null): string | null => (text !== null && /^\d{1,20}$/.test(text) ? text : null);
const small = (text: string | null): number | null => (text !== null && /^\d{1,5}$/.test(text) ? Number(text) : null);

function auditOf(keywords: string | null): WindowsEvent["audit"] {
  if (keywords === null || !/^0x[0-9a-fA-F]{1,16}$/.test(keywords)) return null;
  const bits = BigInt(keywords);
  return bits & AUDIT_FAILURE ? "failure" : bits & AUDIT_SUCCESS ? "success" : null;
}
