import type { AddEntries } from "@halvik/contract/lists";
import { readRfc3339 } from "@halvik/core/base/time";
import { type ListKind, readListValue, readStixBundle } from "@halvik/core/model/lists";
import { parse } from "csv-parse/sync";
import type * as z from "zod";
import { AppError } from "../../kernel/http/errors.js";
import type { NewEntry } from "./repository.js";

/** What of something that came becomes entries, and what does not and why. */
export interface ReadEntries {
  readonly entries: readonly NewEntry[];
  readonly refused: readonly { readonly what: string; readonly why: string }[];
}

const LINES_MOST = 50_000;
const SHOWN = 60;
const NOTE_MOST = 300;

/** @throws {AppError} where it is no file of that kind at all; a single value that is wrong is refused by itself */
export function readEntries(kind: ListKind, body: z.output<typeof AddEntries>): ReadEntries {
  const entries = new Map<string, NewEntry>();
  const refused: { what: string; why: string }[] = [];
  const add = (text: string, entry: Omit<NewEntry, "value">) => {
    const read = readListValue(kind, text);
    if ("fault" in read) refused.push({ what: shown(text), why: read.fault });
    // the same thing under another spelling is one entry
    else entries.set(read.value.toLowerCase(), { ...entry, value: read.value });
  };
  switch (body.as) {
    case "value":
      add(body.value, { note: body.note, source: "", expiresUs: timeOf(body.expires ?? "") });
      break;
    case "csv":
      for (const row of rowsOf(body.text)) {
        const expiresUs = timeOf(row.expires);
        if (expiresUs === null && row.expires !== "")
          refused.push({ what: shown(row.value), why: `“${shown(row.expires)}” is no time` });
        else add(row.value, { note: cleaned(row.note), source: body.source, expiresUs });
      }
      break;
    case "stix": {
      const bundle = bundleOf(body.text);
      for (const { id, why } of bundle.refused) refused.push({ what: shown(id), why });
      for (const { kind: of, value, expiresUs, id } of bundle.values)
        if (of === kind) add(value, { note: cleaned(id), source: body.source || "STIX", expiresUs });
        else refused.push({ what: shown(value), why: `it is of a list of the kind ${of}, this one is of ${kind}` });
    }
  }
  return { entries: [...entries.values()], refused };
}

interface CsvRow {
  readonly value: string;
  readonly note: string;
  readonly expires: string;
}

const COLUMNS = ["value", "note", "expires"];

/** Lines of values (RFC 4180); a first line that names a column “value” says which column is what. */
function rowsOf(text: string): CsvRow[] {
  let lines: string[][];
  try {
    lines = parse(text, {
      bom: true,
      relax_column_count: true,
      skip_empty_lines: true,
      trim: true,
      to: LINES_MOST + 1,
      comment: "#",
      comment_no_infix: true,
    });
  } catch (e) {
    throw new AppError("BAD_REQUEST", `the table cannot be read: ${(e as Error).message}`);
  }
  if (lines.length > LINES_MOST)
    throw new AppError("BAD_REQUEST", `expected ${LINES_MOST.toLocaleString("en")} lines at most`);
  const head = (lines[0] ?? []).map((c) => c.toLowerCase());
  const named = head.includes("value");
  const at = (column: string) => (named ? head.indexOf(column) : COLUMNS.indexOf(column));
  return (named ? lines.slice(1) : lines).map((cells) => {
    const cell = (column: string) => cells[at(column)] ?? "";
    return { value: cell("value"), note: cell("note"), expires: cell("expires") };
  });
}

function bundleOf(text: string) {
  try {
    return readStixBundle(JSON.parse(text));
  } catch (e) {
    throw new AppError("BAD_REQUEST", e instanceof SyntaxError ? `no JSON: ${e.message}` : (e as Error).message);
  }
}

const timeOf = (text: string): number | null => {
  const day = /^\d{4}-\d{2}-\d{2}$/.test(text) ? `${text}T00:00:00Z` : text;
  const time = text === "" ? null : readRfc3339(day);
  return time === null || time.end !== day.length || time.offsetMinutes === null ? null : time.us;
};
const cleaned = (text: string): string =>
  text
    .replace(/\p{Cc}/gu, " ")
    .toWellFormed()
    .slice(0, NOTE_MOST);
const shown = (text: string): string => cleaned(text).slice(0, SHOWN);
