import { FormatError, isNear, isRead, type Miss, type Reading, readerOf } from "../decode/lines/index.js";
import type { Meanings } from "../meaning/index.js";
import type { HalvikRecord, RecordContent } from "../model/record/index.js";
import { withValues } from "./assign.js";
import type { OwnFormat } from "./own-format.js";

/** A format that is ready to read records. */
export interface ReadyFormat {
  readonly id: number;
  readonly format: OwnFormat;
  /** Whether it is tried on a record at all. */
  readonly matches: (record: HalvikRecord) => boolean;
  readonly read: (text: string) => Reading;
  readonly contains: string;
}

/** Makes a format ready. @throws {FormatError} when its form cannot be read, or a line of its own does not fit it */
export function readyFormat(id: number, format: OwnFormat, matches: ReadyFormat["matches"]): ReadyFormat {
  const { read, contains } = readerOf(format);
  for (const [i, line] of format.examples.entries()) {
    const reading = read(line);
    if (!isRead(reading))
      throw new FormatError(
        `test line ${i + 1} does not fit: at ${reading.at} expected ${reading.expected}, got "${line.slice(reading.at, reading.at + 40)}"`,
      );
  }
  return { id, format, matches, read, contains };
}

/** What the formats made of a record. */
export interface Formatted {
  readonly content: RecordContent;
  /** The one that fits; null: none does. */
  readonly fits: number | null;
  /** Those it nearly fits: the line may have changed. */
  readonly near: readonly { readonly id: number; readonly miss: Miss }[];
}

const NONE_NEAR: Formatted["near"] = [];

/** Kinds whose text is a line somebody wrote. */
const isLine = ({ kind, text }: RecordContent): boolean =>
  text !== "" && (kind === "syslog" || kind === "firewall" || kind === "json");

/** Tries formats in their order; the first that fits is the one. */
export function applyFormats(
  formats: readonly ReadyFormat[],
  content: RecordContent,
  asRecord: (content: RecordContent) => HalvikRecord,
  meanings: Meanings,
): Formatted {
  const { text } = content;
  let record: HalvikRecord | null = null;
  if (!isLine(content)) return { content, fits: null, near: NONE_NEAR };
  let near: { id: number; miss: Miss }[] | null = null;
  for (const { id, format, matches, read, contains } of formats) {
    // most lines are another program's: told by a glance, unless somebody said whose lines these are
    const isMeant = format.filter !== "";
    if (!isMeant && !text.includes(contains)) continue;
    if (isMeant) {
      record ??= asRecord(content);
      if (!matches(record)) continue;
    }
    const reading = read(text);
    if (isRead(reading))
      return { content: withValues(content, reading.values, format, meanings), fits: id, near: NONE_NEAR };
    if (isMeant && isNear(reading)) {
      near ??= [];
      near.push({ id, miss: reading });
    }
  }
  return { content, fits: null, near: near ?? NONE_NEAR };
}
