import { isIpv4 } from "../base/net/index.js";
import { momentOf, type PaperInWords, type PinInWords, sayPin } from "./in-words.js";

/** An IODEF document in JSON (RFC 8727 section 3.2.1), as far as it is made here. */
export interface IodefDocument {
  readonly version: "2.0";
  readonly lang: "en";
  readonly Incident: readonly [Readonly<Record<string, unknown>>];
}

/** States of papers as IODEF has them (RFC 7970 section 3.2, status). */
const STATUS = { open: "in-progress", resting: "future", closed: "resolved" } as const;

/**
 * The papers as an incident report: IODEF version 2 (RFC 7970) in JSON (RFC 8727). Records and other pins are events with the systems they
 * name and the text that came; techniques are methods; what was found, and what is open, stands in words.
 * @param name of the one who numbers incidents: this Halvik's own
 */
export function iodefOf(paper: PaperInWords, name: string): IodefDocument {
  const times = paper.pins.flatMap((p) => momentOf(p) ?? []).sort();
  const [start, end] =
    paper.window === null ? [times[0], times[times.length - 1]] : [paper.window.from, paper.window.to];
  const techniques = [...new Set(paper.pins.flatMap((p) => p.techniques))].sort();
  const events = paper.pins.map(eventOf);
  return {
    version: "2.0",
    lang: "en",
    Incident: [
      {
        purpose: "reporting",
        status: STATUS[paper.state],
        restriction: "private",
        IncidentID: { id: String(paper.id), name },
        ...(start === undefined ? {} : { StartTime: start, EndTime: end }),
        ReportTime: paper.created,
        GenerationTime: paper.made,
        Description: [paper.name, ...[paper.question, paper.conclusion].filter((text) => text !== "")],
        ...(techniques.length === 0
          ? {}
          : { Method: techniques.map((t) => ({ Description: [`Technique ${t} (MITRE ATT&CK)`] })) }),
        Contact: [{ type: "person", role: "creator", ContactName: [paper.owner] }],
        ...(events.length === 0 ? {} : { EventData: events }),
        ...(paper.entries.length === 0 ? {} : { History: { HistoryItem: historyOf(paper) } }),
      },
    ],
  };
}

/** An event (RFC 7970 section 3.14; in JSON without the classes Flow and Record, RFC 8727 section 3.1). */
function eventOf(pin: PinInWords): object {
  const { record } = pin;
  const at = momentOf(pin);
  const described = { Description: [sayPin(pin), ...(pin.reason === "" ? [] : [pin.reason])] };
  if (record === null) return { ...described, ...(at === null ? {} : { StartTime: at }) };
  const systems = [
    ...(record.src === null ? [] : [systemOf("source", record.src, record.srcPort, record.protocol)]),
    ...(record.dst === null ? [] : [systemOf("target", record.dst, record.dstPort, record.protocol)]),
  ];
  return {
    ...described,
    DetectTime: record.arrival,
    StartTime: record.time,
    ...(systems.length === 0 ? {} : { System: systems }),
    RecordData: [
      {
        DateTime: record.time,
        Description: [`from ${record.sender}; SHA-256 of its ${record.raw.bytes} bytes: ${record.raw.sha256}`],
        RecordItem: [
          { name: "text", dtype: "string", value: record.text },
          { name: "bytes as they came", dtype: "bytes", value: record.raw.base64 },
        ],
      },
    ],
  };
}

/** A system that took part (RFC 7970 section 3.17). */
const systemOf = (category: "source" | "target", address: string, port: number | null, protocol: number | null) => ({
  category,
  Node: { Address: [{ category: isIpv4(address) ? "ipv4-addr" : "ipv6-addr", value: address }] },
  ...(port === null && protocol === null
    ? {}
    : {
        Service: [
          {
            ...(protocol === null ? {} : { "ip-protocol": protocol }),
            ...(port === null ? {} : { Port: port }),
          },
        ],
      }),
});

/** What people wrote (RFC 7970 section 3.13). */
const historyOf = ({ entries }: PaperInWords) =>
  entries.map(({ entry, author, at }) => ({
    action: "other",
    DateTime: at,
    Description: [
      entry.is === "hypothesis"
        ? `${author}: hypothesis, ${entry.state}, confidence ${entry.confidence}: ${entry.text}`
        : entry.is === "question"
          ? `${author}: question: ${entry.text}${entry.answer === "" ? "" : ` Answer: ${entry.answer}`}`
          : entry.is === "task"
            ? `${author}: ${entry.isDone ? "done" : "to do"}: ${entry.text}`
            : `${author}: ${entry.text}`,
    ],
  }));
