import canonicalize from "canonicalize";
import { v5 as uuidOf } from "uuid";
import { isIpv4 } from "../base/net/index.js";
import { momentOf, type PaperInWords, type PinInWords, type RecordInWords, sayLead, sayPin } from "./in-words.js";

/** What every object has (STIX 2.1 section 3.2). */
interface StixObject {
  readonly type: string;
  readonly id: string;
  readonly spec_version: "2.1";
  readonly [name: string]: unknown;
}
export interface StixBundle {
  readonly type: "bundle";
  readonly id: string;
  readonly objects: readonly StixObject[];
}

/** The namespace of identifiers that follow from what an observable is (STIX 2.1 section 2.9). */
const OBSERVABLES = "00abedb4-aa42-466c-9c01-fed23315a9b7";
/** Ours: what is handed over again is known again. */
const PAPERS = "6f2d6c0e-5e0b-5c4e-8a53-7c1b0d0f3a41";
/** The catalogue of techniques, by the name references have it under (STIX 2.1 section 4.1.1). */
const TECHNIQUES = "mitre-attack";
/** Names of protocols (STIX 2.1 section 6.12: as IANA registers them, in lower case) by their number. */
const PROTOCOLS: Readonly<Record<number, string>> = {
  1: "icmp",
  6: "tcp",
  17: "udp",
  47: "gre",
  50: "esp",
  58: "ipv6-icmp",
};
/** Hashes by their length in hexadecimal digits (STIX 2.1 section 10.7). */
const HASHES: Readonly<Record<number, string>> = { 32: "MD5", 40: "SHA-1", 64: "SHA-256", 128: "SHA-512" };

/**
 * The papers as a STIX 2.1 bundle (OASIS Standard, 10 June 2021), as far as it can carry them: records and files as observed data with
 * addresses, accounts, traffic and hashes; techniques as attack patterns; incidents; notes, hypotheses, the conclusion and all other pins as
 * notes; what leads where as relationships; all of it in one grouping.
 * @param instance what tells this Halvik from others
 */
export function stixOf(paper: PaperInWords, instance: string): StixBundle {
  const objects = new Objects(paper, `${instance} ${paper.id}`);
  const ofPin = new Map(paper.pins.map((pin) => [pin.number, addPin(pin, objects)]));
  for (const { number, techniques, reason } of paper.pins)
    for (const name of techniques) objects.relate(ofPin.get(number)!, addTechnique(name, objects), reason);
  for (const lead of paper.leads) {
    const [from, to] = [ofPin.get(lead.from), ofPin.get(lead.to)];
    if (from !== undefined && to !== undefined && from !== to) objects.relate(from, to, sayLead(lead));
  }
  addWritten(paper, objects, ofPin);
  return objects.bundle();
}

/** Objects of one bundle, each once. */
class Objects {
  private readonly all = new Map<string, StixObject>();
  private readonly creator: string;
  /** Of the grouping that all of it lies in. */
  readonly grouping: string;

  constructor(
    private readonly paper: PaperInWords,
    private readonly scope: string,
  ) {
    const at = millis(paper.created);
    this.grouping = this.idOf("grouping", "paper");
    this.creator = this.idOf("identity", "creator");
    this.all.set(this.creator, {
      type: "identity",
      spec_version: "2.1",
      id: this.creator,
      created: at,
      modified: at,
      name: "Halvik",
      identity_class: "system",
    });
  }

  private idOf(type: string, name: string): string {
    return `${type}--${uuidOf(`${this.scope} ${type} ${name}`, PAPERS)}`;
  }

  /** What is known, with when it came to be. @param name tells it from others of its type */
  tell(type: string, name: string, at: string, rest: Readonly<Record<string, unknown>>): string {
    const id = this.idOf(type, name);
    const { made } = this.paper;
    this.all.set(id, {
      type,
      spec_version: "2.1",
      id,
      created_by_ref: this.creator,
      created: millis(at),
      modified: millis(made > at ? made : at),
      ...rest,
    });
    return id;
  }

  /** What was seen. Its identifier follows from what it is (STIX 2.1 section 2.9). @param by the properties that make it what it is */
  observe(type: string, by: Readonly<Record<string, unknown>>, rest: Readonly<Record<string, unknown>> = {}): string {
    const id = `${type}--${uuidOf(canonicalize(by)!, OBSERVABLES)}`;
    this.all.set(id, { type, spec_version: "2.1", id, ...by, ...rest });
    return id;
  }

  relate(from: string, to: string, why: string): void {
    this.tell("relationship", `${from} ${to} ${why}`, this.paper.created, {
      relationship_type: "related-to",
      source_ref: from,
      target_ref: to,
      ...(why === "" ? {} : { description: why }),
    });
  }

  bundle(): StixBundle {
    const { id, created, made, name, question } = this.paper;
    const inIt = [...this.all.keys()].filter((key) => key !== this.creator);
    this.tell("grouping", "paper", created, {
      name,
      ...(question === "" ? {} : { description: question }),
      context: "suspicious-activity",
      // a grouping is of something
      object_refs: inIt.length > 0 ? inIt : [this.creator],
    });
    return {
      type: "bundle",
      id: `bundle--${uuidOf(`${this.scope} ${id} ${made}`, PAPERS)}`,
      objects: [...this.all.values()],
    };
  }
}

/** What stands for a pin. */
function addPin(pin: PinInWords, objects: Objects): string {
  const name = `pin ${pin.number}`;
  const { pinned, record } = pin;
  const observed = (first: string, last: string, refs: readonly string[]) =>
    objects.tell("observed-data", name, pin.at, {
      first_observed: first,
      last_observed: last,
      number_observed: 1,
      object_refs: refs,
    });
  if (record !== null) return observed(record.time, record.time, observablesOf(record, objects));
  switch (pinned.is) {
    case "incident":
      return objects.tell("incident", name, pin.at, {
        name: pinned.title,
        ...(pinned.story.length === 0 ? {} : { description: pinned.story.join("\n") }),
      });
    case "file":
      return observed(pin.at, pin.at, [
        objects.observe("file", { hashes: { "SHA-256": pinned.sha256 }, name: pinned.name }, { size: pinned.bytes }),
      ]);
    default: {
      const at = momentOf(pin);
      return objects.tell("note", name, pin.at, {
        abstract: sayPin(pin),
        content: [sayPin(pin), ...(at === null ? [] : [`from ${at}`]), ...(pin.reason === "" ? [] : [pin.reason])].join(
          "\n",
        ),
        authors: [pin.by],
        object_refs: [objects.grouping],
      });
    }
  }
}

const addTechnique = (name: string, objects: Objects): string =>
  objects.tell("attack-pattern", name, "1970-01-01T00:00:00.000Z", {
    name: `Technique ${name}`,
    external_references: [{ source_name: TECHNIQUES, external_id: name }],
  });

/** What a record names, its connection, and the bytes it came as. */
function observablesOf(record: RecordInWords, objects: Objects): string[] {
  const address = (value: string) => objects.observe(isIpv4(value) ? "ipv4-addr" : "ipv6-addr", { value });
  const refs = new Set<string>();
  for (const { kind, value } of record.entities) {
    if (kind === "address") refs.add(address(value));
    if (kind === "user") refs.add(objects.observe("user-account", { account_login: value }));
  }
  for (const hash of record.hashes) {
    const algorithm = HASHES[hash.length];
    if (algorithm !== undefined) refs.add(objects.observe("file", { hashes: { [algorithm]: hash } }));
  }
  const { src, dst, srcPort, dstPort, protocol } = record;
  if (src !== null && dst !== null && protocol !== null) {
    const connection = {
      src_ref: address(src),
      dst_ref: address(dst),
      ...(srcPort === null ? {} : { src_port: srcPort }),
      ...(dstPort === null ? {} : { dst_port: dstPort }),
      protocols: [isIpv4(src) ? "ipv4" : "ipv6", PROTOCOLS[protocol] ?? `ip-protocol-${protocol}`],
    };
    refs.add(
      objects.observe("network-traffic", connection, {
        ...(record.bytes === null ? {} : { src_byte_count: record.bytes }),
        ...(record.packets === null ? {} : { src_packets: record.packets }),
      }),
    );
  }
  refs.add(
    objects.observe(
      "artifact",
      { hashes: { "SHA-256": record.raw.sha256 }, payload_bin: record.raw.base64 },
      { mime_type: "application/octet-stream" },
    ),
  );
  return [...refs];
}

/** What people wrote, as notes of the pins it names, or of all of it. */
function addWritten(paper: PaperInWords, objects: Objects, ofPin: ReadonlyMap<number, string>): void {
  const note = (
    name: string,
    at: string,
    author: string,
    abstract: string,
    content: string,
    pins: readonly number[],
  ) => {
    const refs = [...new Set(pins.flatMap((n) => ofPin.get(n) ?? []))];
    objects.tell("note", name, at, {
      abstract,
      content,
      authors: [author],
      object_refs: refs.length > 0 ? refs : [objects.grouping],
    });
  };
  if (paper.conclusion !== "") note("conclusion", paper.created, paper.owner, "What was found", paper.conclusion, []);
  for (const [i, { entry, author, at }] of paper.entries.entries()) {
    const name = `entry ${i}`;
    switch (entry.is) {
      case "note":
        note(name, at, author, "Note", entry.text, []);
        break;
      case "hypothesis":
        note(
          name,
          at,
          author,
          `Hypothesis, ${entry.state}, confidence ${entry.confidence}`,
          [
            entry.text,
            ...(entry.speaksFor.length === 0 ? [] : [`for: ${entry.speaksFor.map((n) => `#${n}`).join(", ")}`]),
            ...(entry.speaksAgainst.length === 0
              ? []
              : [`against: ${entry.speaksAgainst.map((n) => `#${n}`).join(", ")}`]),
          ].join("\n"),
          [...entry.speaksFor, ...entry.speaksAgainst],
        );
        break;
      case "question":
        note(name, at, author, `Question: ${entry.text}`, entry.answer === "" ? "still open" : entry.answer, []);
        break;
      case "task":
        break;
    }
  }
}

/** To the millisecond, as times of objects are written (STIX 2.1 section 3.2). @param at RFC 3339 in UTC */
const millis = (at: string): string =>
  at.replace(/(?:\.(\d{1,9}))?Z$/, (_, part: string | undefined) => `.${(part ?? "").padEnd(3, "0").slice(0, 3)}Z`);
