import type { JsonMapping } from "@halvik/core/decode/json";
import { FormatError } from "@halvik/core/decode/lines";
import { applyFormats, OwnFormat, type ReadyFormat, readAnew, readsAlike } from "@halvik/core/formats";
import type { Meanings } from "@halvik/core/meaning";
import type { HalvikRecord, RecordContent } from "@halvik/core/model/record";
import type { SenderDirectory } from "@halvik/core/model/senders";
import { fitContent, jsonRecord, type OwnObservation, syslogRecord } from "@halvik/core/normalise";
import { parseFilter } from "@halvik/core/query/filter";
import { failureOf } from "../../../kernel/db/failure.js";
import { type Client, transaction } from "../../../kernel/db/pool.js";
import { Amending, type Amendment, amendedBefore, amendedOf, firstAmended } from "../../../store/amend-records.js";
import { bytesOf } from "../../../store/find-records.js";
import { holdSegment } from "../../../store/segment-life.js";
import { type Source, sourcesBetween } from "../../../store/sources.js";
import { formatVersions, ready } from "../repository.js";
import {
  linesToRead,
  notePart,
  type Reading,
  type ReadingState,
  readingUnderWay,
  stepReading,
} from "./readings-repository.js";

const READ_AT_ONCE = 2_000;
/** An earlier one is not looked for. */
const MOST_VERSIONS = 20;
const LAST_ID = "9223372036854775807";
const NO_BYTES = new Uint8Array();
/** What readings go by. */
export interface HistoryNeeds {
  readonly directory: () => Promise<SenderDirectory>;
  readonly meanings: () => Promise<Meanings>;
  /** How JSON is read, by endpoint. */
  readonly mappings: () => Promise<ReadonlyMap<string, JsonMapping>>;
  /** Called between parts of the work, within its transaction. */
  readonly beat: () => Promise<unknown>;
}

/**
 * One turn of the reading that is under way: one part of one segment, in one transaction with how far it came, so that each record is amended once, whatever is
 * killed in between. What cannot be done ends the reading with its reason; what was amended until then stays, and can be taken back.
 * @returns whether there is more to do, and what is to be told
 * @throws when the database cannot be used: that is everybody's trouble
 */
export async function readHistory(
  client: Client,
  needs: HistoryNeeds,
  nowUs: number,
): Promise<{ readonly more: boolean; readonly told: readonly OwnObservation[] }> {
  const reading = await readingUnderWay(client);
  if (reading === null) return { more: false, told: [] };
  try {
    const more =
      reading.state === "taking back"
        ? await takeBackPart(client, reading, needs, nowUs)
        : await readPart(client, reading, needs, nowUs);
    if (more) return { more: true, told: [] };
    const [from, to]: [ReadingState, ReadingState] =
      reading.state === "taking back" ? ["taking back", "taken back"] : [reading.state, "done"];
    await stepReading(client, reading.id, [from], to, nowUs);
    return { more: false, told: [ended(reading, to, "")] };
  } catch (e) {
    const failure = failureOf(e);
    if (failure === "outage" || failure === "again") throw e;
    const why = (e instanceof Error ? e.message : String(e)).slice(0, 1_000);
    await stepReading(client, reading.id, [reading.state], "failed", nowUs, why);
    return { more: false, told: [ended(reading, "failed", why)] };
  }
}

const ended = ({ id, name }: Reading, state: ReadingState, why: string): OwnObservation => ({
  event: "format-read-history",
  severity: state === "failed" ? 3 : 6,
  outcome: state === "failed" ? "failure" : "success",
  subject: "keeper",
  text: `Reading ${id} of history by the format “${name}” ${state === "failed" ? `failed: ${why}` : `is ${state}`}`,
});

/** Sources of records in an order that stays: by segment, then by id. */
async function sourcesOf(client: Client, fromUs: number, toUs: number): Promise<Source[]> {
  const all = (await sourcesBetween(client, fromUs, toUs)).filter((s) => s.shape === "record");
  return all.sort((a, b) => (a.segment === b.segment ? order(a, b) : a.segment < b.segment ? -1 : 1));
}
const order = (a: Source, b: Source): number => {
  if (a.part === null || b.part === null) return a.part === null ? 1 : -1;
  return BigInt(a.firstId!) < BigInt(b.firstId!) ? -1 : 1;
};
const isAfter = (s: Source, { segment, afterId }: Reading): boolean =>
  segment === null ||
  s.segment > segment ||
  (s.segment === segment && afterId !== LAST_ID && (s.part === null || BigInt(s.firstId!) > BigInt(afterId!)));

/** The ids of a source: after the first, up to the last. */
const idsOf = (s: Source): [after: string, last: string] =>
  s.part === null ? [s.firstId ?? "0", LAST_ID] : [(BigInt(s.firstId!) - 1n).toString(), s.lastId!];

async function readPart(client: Client, reading: Reading, needs: HistoryNeeds, nowUs: number): Promise<boolean> {
  const { fromUs, toUs, body } = reading;
  if (body === null) throw new FormatError("the format is written as this version of Halvik does not read it");
  const sources = await sourcesOf(client, fromUs, toUs);
  const source = sources.find((s) => isAfter(s, reading));
  if (source === undefined) return false;
  const directory = await needs.directory();
  const format = ready(reading.format, body, directory, nowUs);
  const versions = await earlierVersions(client, reading, directory, nowUs);
  const [meanings, mappings] = [await needs.meanings(), await needs.mappings()];
  const reads: Reads = { reading, format, versions, meanings, mappings };
  const meant = parseFilter(body.filter, { zone: "UTC", directory });
  // `ready` has read it itself
  if (!meant.ok) throw new FormatError(meant.error.message);
  const [after, lastId] = idsOf(source);
  return transaction(client, async () => {
    if (!(await holdSegment(client, source.segment))) return true;
    const amending = new Amending(client, source, nowUs);
    const counts = { looked: 0, amended: 0, readBefore: 0 };
    // as the format itself: by a part that its lines hold, unless it is said whose lines they are
    const lines = {
      ...{ fromUs, toUs, directory, nowUs, names: versions.map((v) => v.format.name) },
      by: body.filter === "" ? { contains: format.contains } : { filter: meant.filter },
    };
    for (let id = after; ; ) {
      const records = await linesToRead(client, source.segment, lines, [id, lastId], READ_AT_ONCE);
      const made = await amendments(client, reads, records);
      counts.looked += made.tried;
      counts.readBefore += made.readBefore;
      counts.amended += await amending.amend(reading.id, made.amendments);
      await needs.beat();
      if (records.length < READ_AT_ONCE) break;
      id = records[records.length - 1]!.id;
    }
    await amending.finish();
    await notePart(
      client,
      reading.id,
      { segment: source.segment, lastId, parts: sources.length, ...counts, refused: amending.refused },
      nowUs,
    );
    return true;
  });
}

/** What a reading reads with. */
interface Reads {
  readonly reading: Reading;
  readonly format: ReadyFormat;
  /** Of the same format, the latest first: one of them may have read a line as it arrived. */
  readonly versions: readonly ReadyFormat[];
  readonly meanings: Meanings;
  readonly mappings: ReadonlyMap<string, JsonMapping>;
}

/** Versions of a format that can still be read; one that cannot explains nothing. */
async function earlierVersions(
  client: Client,
  { format, body }: Reading,
  directory: SenderDirectory,
  nowUs: number,
): Promise<ReadyFormat[]> {
  const kept = await formatVersions(client, format);
  const bodies = [body, ...kept.map((v) => OwnFormat.safeParse(v.body).data ?? null)].filter((b) => b !== null);
  return bodies.slice(0, MOST_VERSIONS).flatMap((b) => {
    try {
      return [ready(format, b, directory, nowUs)];
    } catch (e) {
      if (e instanceof FormatError) return [];
      throw e;
    }
  });
}

/** What the format makes of records; those that another one has read stay as they are. */
async function amendments(
  client: Client,
  { reading, format, versions, meanings, mappings }: Reads,
  records: readonly HalvikRecord[],
): Promise<{ readonly amendments: Amendment[]; readonly tried: number; readonly readBefore: number }> {
  const before = await amendedBefore(client, records, reading.format);
  const out: Amendment[] = [];
  const arrivedRead: { readonly record: HalvikRecord; readonly was: HalvikRecord; readonly by: ReadyFormat[] }[] = [];
  let readBefore = 0;
  let tries = 0;
  for (const record of records) {
    // what an earlier reading of this format made of it gives way to this one
    const was = before.get(record.id) ?? record;
    const name = was.data.find(([n]) => n === "format")?.[1];
    const by = name === undefined ? [] : versions.filter((v) => v.format.name === name);
    if (by.length > 0) {
      arrivedRead.push({ record, was, by });
      continue;
    }
    if (!format.matches(was)) continue;
    tries++;
    const to = tried(format, was, meanings);
    if (to === null) continue;
    if (name !== undefined) readBefore++;
    else out.push({ record, to });
  }
  const bytes = await bytesOf(
    client,
    arrivedRead.map((a) => a.record),
  );
  for (const [i, { record, was, by }] of arrivedRead.entries()) {
    tries++;
    const decoded = decodedOf(was, bytes[i]!, meanings, mappings);
    const to = firstOf(by, (earlier) =>
      firstOf(decoded, (content) => attempt(() => readAnew(was, content, { earlier, later: format, meanings, fit }))),
    );
    if (to !== null && !readsAlike(to, record)) out.push({ record, to });
    else if (to === null && format.matches(was) && tried(format, was, meanings) !== null) readBefore++;
  }
  return { amendments: out, tried: tries, readBefore };
}

/** What decoders make of a line as it came: it is not kept by which it was read, and the earlier version tells whether it was this one. */
function decodedOf(
  { receivedUs, endpoint }: HalvikRecord,
  bytes: Uint8Array,
  meanings: Meanings,
  mappings: ReadonlyMap<string, JsonMapping>,
): RecordContent[] {
  // times stay as they are stored
  const context = { receivedUs, clockOffsetUs: 0, meanings };
  const made = [
    () => syslogRecord(bytes, { ...context, zone: "UTC" }).content,
    () => jsonRecord(bytes, { ...context, mapping: mappings.get(endpoint) ?? null }).content,
  ];
  return made.map((make) => attempt(() => fitContent(make(), bytes))).filter((c) => c !== null);
}

function firstOf<T, R>(all: readonly T[], of: (one: T) => R | null): R | null {
  for (const one of all) {
    const found = of(one);
    if (found !== null) return found;
  }
  return null;
}

const fit = (content: RecordContent): RecordContent => fitContent(content, NO_BYTES);

const tried = (format: ReadyFormat, record: HalvikRecord, meanings: Meanings): RecordContent | null =>
  attempt(() => {
    const { content, fits } = applyFormats([format], record, () => record, meanings);
    return fits === null ? null : fit(content);
  });

/** Whatever a decoder or a format throws, the record stays as it is. */
function attempt<T>(of: () => T | null): T | null {
  try {
    return of();
  } catch {
    return null;
  }
}

async function takeBackPart(client: Client, reading: Reading, needs: HistoryNeeds, nowUs: number): Promise<boolean> {
  const first = await firstAmended(client, reading.id);
  if (first === null) return false;
  const sources = (await sourcesOf(client, Number.MIN_SAFE_INTEGER, Number.MAX_SAFE_INTEGER)).filter(
    (s) => s.segment === first.segment,
  );
  const source = sources.find((s) => {
    const [after, last] = idsOf(s);
    return BigInt(first.id) > BigInt(after) && BigInt(first.id) <= BigInt(last);
  });
  if (source === undefined) throw new FormatError(`record ${first.id} lies in no part of its segment ${first.segment}`);
  const [, last] = idsOf(source);
  return transaction(client, async () => {
    if (!(await holdSegment(client, source.segment))) return true;
    const amending = new Amending(client, source, nowUs);
    for (;;) {
      const before = await amendedOf(client, reading.id, source.segment, last, READ_AT_ONCE);
      if (before.size === 0) break;
      await amending.takeBack(before);
      await needs.beat();
    }
    await amending.finish();
    return true;
  });
}
