import type { FormatPreview } from "@halvik/contract/formats";
import { formatUs, US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { isNear, isRead } from "@halvik/core/decode/lines";
import { applyFormats, type OwnFormat, type ReadyFormat } from "@halvik/core/formats";
import type { Meanings } from "@halvik/core/meaning";
import { emptyContent, FIELDS, type HalvikRecord, type RecordContent } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { type Filter, parseFilter } from "@halvik/core/query/filter";
import { newestRecords } from "../records/newest-records.js";
import type { Ask } from "../records/questions.js";
import { ready } from "./repository.js";

/** Records looked at for each span. */
const READ = 3_000;
const EXAMPLES = 8;
const SPANS = [
  { says: "the last hour", us: US_PER_HOUR },
  { says: "the last 30 days", us: 30 * US_PER_DAY },
] as const;
const BUDGET_MS = 10_000;

interface Needs {
  readonly ask: Ask;
  readonly directory: SenderDirectory;
  readonly meanings: Meanings;
}

/** What a format would read: of lines given, and of what is stored. @throws {FormatError} when it cannot be */
export async function previewFormat(
  { ask, directory, meanings }: Needs,
  format: OwnFormat,
  lines: readonly string[],
  nowUs: number,
): Promise<FormatPreview> {
  const made = ready(0, format, directory, nowUs);
  const given = lines.map((text) => {
    const reading = made.read(text);
    return isRead(reading)
      ? shown(Object.assign(emptyContent("syslog", nowUs, nowUs), { text }), made, meanings)
      : { text, place: reading.at, expected: reading.expected, near: isNear(reading) };
  });
  const fits: FormatPreview["fits"] = [];
  const near: FormatPreview["near"] = [];
  const spans: FormatPreview["spans"] = [];
  for (const { says, us } of SPANS) {
    const window = { fromUs: nowUs - us, toUs: nowUs };
    const found = await newestRecords(ask, tried(format, directory), window, nowUs, {
      most: READ,
      budgetMs: BUDGET_MS,
    });
    const span = { says, of: found.records.length, fits: 0, near: 0, exact: found.isWhole };
    for (const r of found.records) {
      if (!made.matches(r)) continue;
      const reading = made.read(r.text);
      const facts = { at: formatUs(r.timeUs), sender: directory.name(r.sender) };
      if (isRead(reading)) {
        span.fits++;
        if (fits.length < EXAMPLES && us !== US_PER_HOUR) fits.push({ ...facts, ...shown(r, made, meanings) });
      } else if (isNear(reading)) {
        span.near++;
        if (near.length < EXAMPLES && us !== US_PER_HOUR)
          near.push({ ...facts, text: r.text, place: reading.at, expected: reading.expected, near: true });
      }
    }
    spans.push(span);
  }
  return { lines: given, spans, fits, near };
}

/** The records it would be tried on, as far as the store can tell. */
function tried(format: OwnFormat, directory: SenderDirectory): Filter {
  const lines = "kind is syslog or kind is firewall or kind is json";
  const text = format.filter === "" ? lines : `(${format.filter}) and (${lines})`;
  const parsed = parseFilter(text, { zone: "UTC", directory });
  // `ready` has read the filter itself
  if (!parsed.ok) throw new Error(parsed.error.message);
  return parsed.filter;
}

/** What every record has, and a format does not read. */
const NOT_SHOWN: readonly string[] = ["text", "severity", "kind", "sender", "time", "arrival", "level", "mark"];
const EITHER: readonly string[] = ["address", "port"];

/** What comes out of a record, and what of it is a field. */
function shown(
  content: RecordContent,
  format: ReadyFormat,
  meanings: Meanings,
): Omit<FormatPreview["fits"][number], "at" | "sender"> {
  const asRecord = (c: RecordContent): HalvikRecord => ({
    ...c,
    id: "",
    sender: 0,
    endpoint: "",
    copyOf: null,
    shape: null,
  });
  const { content: made } = applyFormats(
    [{ ...format, matches: () => true }],
    { ...content, data: [], users: [], otherAddresses: [] },
    asRecord,
    meanings,
  );
  const before = asRecord({ ...content, data: [], users: [], otherAddresses: [] });
  const after = asRecord(made);
  const names = { application: () => null };
  const values: { name: string; value: string; isField: boolean }[] = [];
  for (const f of FIELDS) {
    if (NOT_SHOWN.includes(f.name)) continue;
    const now = f.get(after, names).map(String);
    if (String(f.get(before, names)) === String(now)) continue;
    // any address and either port are said as what they are
    for (const value of now)
      if (!(EITHER.includes(f.name) && values.some((v) => v.value === value)))
        values.push({ name: f.name, value, isField: true });
  }
  const known = new Set(FIELDS.flatMap((f) => ("dataName" in f ? [f.dataName as string] : [])));
  const own = made.data
    .filter(([name]) => name !== "format" && !known.has(name))
    .map(([name, value]) => ({ name, value, isField: false }));
  return {
    text: content.text,
    values: [...values, ...own],
    kind: made.kind,
    severity: made.severity,
  };
}
