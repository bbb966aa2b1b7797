import type { Entry } from "./entry.js";
import type { LeadKind } from "./leads.js";
import type { Lane, PaperState } from "./paper.js";
import type { Pinned } from "./pin.js";

/** A pinned record, as the papers tell it to others. */
export interface RecordInWords {
  readonly id: string;
  readonly time: string;
  readonly arrival: string;
  readonly sender: string;
  readonly kind: string;
  readonly severity: string;
  readonly category: string;
  readonly outcome: string;
  /** What happened, in words; empty: nothing is made of it. */
  readonly sentence: string;
  readonly text: string;
  readonly src: string | null;
  readonly dst: string | null;
  readonly srcPort: number | null;
  readonly dstPort: number | null;
  /** Number of the protocol (IANA). */
  readonly protocol: number | null;
  readonly bytes: number | null;
  readonly packets: number | null;
  readonly entities: readonly { readonly kind: string; readonly role: string; readonly value: string }[];
  readonly hashes: readonly string[];
  /** Of the bytes it came as. */
  readonly raw: { readonly bytes: number; readonly sha256: string; readonly base64: string };
}

/** What is needed to say what a pin is. */
interface PinReading {
  readonly pinned: Pinned;
  readonly record: Pick<RecordInWords, "time" | "sender" | "sentence" | "text"> | null;
}

export interface PinInWords {
  readonly number: number;
  readonly pinned: Pinned;
  readonly record: RecordInWords | null;
  readonly reason: string;
  readonly techniques: readonly string[];
  readonly by: string;
  readonly at: string;
}

export interface EntryInWords {
  readonly entry: Entry;
  readonly author: string;
  readonly at: string;
}

/** One pin leads to another: found by what both say, or drawn by hand. */
export interface LeadInWords {
  readonly from: number;
  readonly to: number;
  readonly kind: LeadKind | "drawn";
  /** What both have, or what was written to it. */
  readonly by: string;
}

/** The papers of an investigation, to be handed over; all times RFC 3339 in UTC. */
export interface PaperInWords {
  readonly id: number;
  readonly name: string;
  readonly question: string;
  readonly conclusion: string;
  readonly state: PaperState;
  readonly owner: string;
  readonly people: readonly string[];
  readonly window: { readonly from: string; readonly to: string } | null;
  readonly created: string;
  readonly closed: string | null;
  readonly lanes: readonly Lane[];
  /** In the order of their numbers. */
  readonly pins: readonly PinInWords[];
  readonly entries: readonly EntryInWords[];
  readonly leads: readonly LeadInWords[];
  /** When and by whom this is handed over. */
  readonly made: string;
  readonly madeBy: string;
}

/** When a pin happened, for the order of what is told; null: files and what was never in time. */
export function momentOf({ pinned, record }: PinReading): string | null {
  if (record !== null) return record.time;
  switch (pinned.is) {
    case "file":
    case "record":
      return null;
    case "incident":
      return pinned.first;
    case "chart":
      return pinned.chart.steps[0]!;
    default:
      return pinned.from;
  }
}

/** What a pin is, in a line. */
export function sayPin({ pinned, record }: PinReading): string {
  switch (pinned.is) {
    case "record":
      return record === null ? `record ${pinned.id}` : `${record.sender}: ${record.sentence || record.text}`;
    case "search":
      return `${sayCount(pinned)}: ${pinned.reading}`;
    case "shape":
      return `${sayCount(pinned)} of the shape ${pinned.name === "" ? "" : `“${pinned.name}” `}${pinned.text}`;
    case "contrast":
      return pinned.isCounted
        ? `what changed: ${pinned.lines.length + pinned.others} differences${pinned.filter === "" ? "" : ` of ${pinned.filter}`}`
        : "what changed: could not be counted to its end";
    case "portrait":
      return `portrait of ${pinned.kind} ${pinned.value}: ${sayCount(pinned)}`;
    case "incident":
      return `incident ${pinned.id}: ${pinned.title}`;
    case "chart":
      return `chart: ${pinned.chart.title}`;
    case "file":
      return `file ${pinned.name}, ${pinned.bytes} bytes`;
  }
}

export const sayCount = ({ count, isExact }: { readonly count: number; readonly isExact: boolean }): string =>
  `${isExact ? "" : "at least "}${count} ${count === 1 ? "record" : "records"}`;

const LED: Readonly<Record<LeadInWords["kind"], (by: string) => string>> = {
  session: (by) => `same session ${by}`,
  carried: (by) => `carried from ${by}`,
  "went on": (by) => `went on from ${by}`,
  made: (by) => `the account ${by} that was made or changed`,
  drawn: (by) => by || "drawn by hand",
};

/** How one leads to the other, in words. */
export const sayLead = ({ kind, by }: Pick<LeadInWords, "kind" | "by">): string => LED[kind](by);
