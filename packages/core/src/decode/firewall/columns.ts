import { DecodeError } from "../../base/bytes/index.js";
import { splitRow } from "../../base/text/index.js";
import { emptyDecision, type FirewallDecision } from "./decision.js";
import { isActionName, isEndName, setByName } from "./names.js";

/** Names of the column that says when, folded (common practice, no source). */
const TIME_NAMES: readonly string[] = [
  "time",
  "timestamp",
  "@timestamp",
  "datetime",
  "date_time",
  "event_time",
  "eventtime",
  "generated_time",
  "receive_time",
  "log_time",
];

/** Decisions in columns: the header line decides what they are and how they are parted. */
export class DecisionColumns {
  /** The columns that say when: one, or a date beside a time of the day. */
  private readonly time: number;
  private readonly date: number;

  private constructor(
    private readonly names: readonly string[],
    private readonly separator: "," | " " | ";" | "\t",
  ) {
    const folded = names.map((n) => n.toLowerCase());
    this.time = folded.findIndex((n) => TIME_NAMES.includes(n));
    this.date = folded[this.time] === "time" ? folded.indexOf("date") : -1;
  }

  /** Reads a header line, or null when it is none: it must name both ends and a verdict. */
  static fromHeader(line: string): DecisionColumns | null {
    for (const separator of [",", ";", "\t", " "] as const) {
      const names = splitRow(line.replace(/^#\s*(fields:)?\s*/i, ""), separator)?.map((n) => n.trim());
      if (!names || names.length < 4 || names.length > 200) continue;
      if (names.filter(isEndName).length >= 2 && names.some(isActionName)) return new DecisionColumns(names, separator);
    }
    return null;
  }

  /** One row. "-" and nothing are missing values. @throws {DecodeError} BAD_COLUMNS when the number of values differs */
  row(line: string): FirewallDecision {
    const values = splitRow(line, this.separator);
    if (values === null || values.length !== this.names.length)
      throw new DecodeError(
        "BAD_COLUMNS",
        0,
        `columns: expected ${this.names.length} values as in the header, got ${values === null ? "an open quote" : values.length}`,
      );
    const f = emptyDecision("columns");
    for (let i = 0; i < values.length; i++) {
      const value = values[i]!.trim();
      if (value === "" || value === "-") continue;
      if (i === this.date && this.time >= 0) f.at = `${value} ${f.at ?? ""}`.trimEnd();
      else if (i === this.time) f.at = f.at === null ? value : `${f.at} ${value}`;
      else setByName(f, this.names[i]!, value);
    }
    return f;
  }

  /** Whether a row is within quotes still: its value holds the line's end (RFC 4180 section 2.6), and the row goes on. */
  isOpen(line: string): boolean {
    return splitRow(line, this.separator) === null;
  }
}
