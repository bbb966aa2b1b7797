import type { HalvikRecord } from "@halvik/core/model/record";
import { DIRECTORY_ROWS, type PartAnswer, type RowSet } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { isScanCheaper } from "./part-matches.js";
import { formatRecordId } from "./record-id.js";
import { type Reader, readRows, selectFrom } from "./record-rows.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import type { Source } from "./sources.js";

/** Where a page ends: the key (time, id) of its last record, or how far a partial search came. */
export interface PageKey {
  readonly timeUs: number;
  readonly id: string;
}

export interface SearchRequest extends SearchScope {
  readonly limit: number;
  /** Records strictly before (older) or after (newer) this key. */
  readonly cursor: PageKey | null;
  readonly direction: "older" | "newer";
  /** Who reads them; people unless said. */
  readonly reader?: Reader;
}

export interface SearchPage {
  /** In the asked direction's order: newest first for "older", oldest first for "newer". */
  readonly records: readonly HalvikRecord[];
  /** Where to go on; null when everything in the window was looked at. */
  readonly next: PageKey | null;
  /** The time budget ended before the page was full. */
  readonly partial: boolean;
  readonly searched: Searched;
}

/** Rows read at once where the filter has to be decided here. */
const CHUNK_ROWS = 2_000;
const MOST_PARTS_AT_ONCE = 32;

/** A record found, or a row that is known to match and not yet read. */
type Found = PageKey & { readonly segment: string; readonly record: HalvikRecord | null };

/**
 * One page by keyset over the sources of a window, newest (or oldest) first, within a time budget. All sources are read down to a common
 * time, the one that is furthest behind first: none is read further than the page needs.
 */
export async function searchRecords(db: Queryable, request: SearchRequest): Promise<SearchPage> {
  const query = new SearchQuery(db, request);
  const page = new Page(query, request);
  const sources = (await query.sources()).filter((s) => page.mayHold(s));
  const readers = new SourceReaders(query, request, page, sources);
  for (let reader = readers.foremost(); reader !== null; reader = readers.foremost()) {
    if (page.isFullBefore(reader.frontier!)) break;
    // a search that went on from where this one began would come no further
    if (query.isOver && page.isBeyondStart(reader.frontier!)) return page.partial(reader.frontier!);
    page.merge(await reader.advance());
  }
  return page.finish();
}

/** A page being filled from several sources. */
class Page {
  readonly older: boolean;
  readonly wanted: number;
  private found: Found[] = [];

  constructor(
    private readonly query: SearchQuery,
    private readonly request: SearchRequest,
  ) {
    this.older = request.direction === "older";
    this.wanted = request.limit + 1;
  }

  mayHold(source: Source): boolean {
    const { cursor } = this.request;
    return cursor === null || (this.older ? source.minTimeUs <= cursor.timeUs : source.maxTimeUs >= cursor.timeUs);
  }

  /** Whether a key comes before another in the page's order. */
  isBefore(a: PageKey, b: PageKey): boolean {
    const order = a.timeUs - b.timeUs || compareIds(a.id, b.id);
    return this.older ? order > 0 : order < 0;
  }

  /** Whether the page is full of what comes before all that stands behind a key. */
  isFullBefore(key: PageKey): boolean {
    const last = this.found[this.wanted - 1];
    return last !== undefined && !this.isBefore(key, last);
  }

  isBeyondStart(key: PageKey): boolean {
    const { cursor } = this.request;
    return cursor === null || this.isBefore(cursor, key);
  }

  merge(more: readonly Found[]): void {
    if (more.length === 0) return;
    this.found = [...this.found, ...more].sort((x, y) => (this.isBefore(x, y) ? -1 : 1)).slice(0, this.wanted);
  }

  async finish(): Promise<SearchPage> {
    const more = this.found.length > this.request.limit;
    const records = await this.read(this.found.slice(0, this.request.limit));
    const last = records[records.length - 1];
    return { records, next: more && last ? keyOf(last) : null, partial: false, searched: this.query.searched };
  }

  /** What is certain when nothing beyond a key has been looked at; the search goes on from there. */
  async partial(key: PageKey): Promise<SearchPage> {
    const certain = this.found.filter((f) => !this.isBefore(key, f));
    if (certain.length > this.request.limit) return this.finish();
    return { records: await this.read(certain), next: key, partial: true, searched: this.query.searched };
  }

  /** Reads what is not read yet, segment by segment. */
  private async read(found: readonly Found[]): Promise<HalvikRecord[]> {
    const missing = new Map<string, string[]>();
    for (const { segment, id, record } of found) {
      if (record !== null) continue;
      const ids = missing.get(segment);
      if (ids) ids.push(id);
      else missing.set(segment, [id]);
    }
    const read = new Map<string, HalvikRecord>();
    // one after the other: it may be one connection that is asked, and others want theirs
    for (const [segment, ids] of missing)
      for (const record of await this.query.readIds(segment, ids, this.request.reader)) read.set(record.id, record);
    return found.flatMap((f) => f.record ?? read.get(f.id) ?? []);
  }
}

/** One source being read in the page's order. */
interface SourceReader {
  /** All that comes before it has been read; null at the end. */
  readonly frontier: PageKey | null;
  /** Reads a piece further. */
  advance(): Promise<Found[]>;
}

/** The sources of a search, each begun when it is its turn. */
class SourceReaders {
  private readonly readers: SourceReader[];
  /** How many parts are asked of the terms at once: more, the further a search goes. */
  private ahead = 2;
  private readonly answers = new Map<number, PartAnswer | null>();

  constructor(
    private readonly query: SearchQuery,
    private readonly request: SearchRequest,
    private readonly page: Page,
    private readonly sources: readonly Source[],
  ) {
    this.readers = sources.map((source) => new Begun(boundOf(source, page.older), () => this.begin(source)));
  }

  /** The reader with most left of what the page wants next; null when all are at their end. */
  foremost(): SourceReader | null {
    let first: SourceReader | null = null;
    for (const reader of this.readers)
      if (reader.frontier !== null && (first === null || this.page.isBefore(reader.frontier, first.frontier!)))
        first = reader;
    return first;
  }

  private async begin(source: Source): Promise<SourceReader | null> {
    const { query, request, page } = this;
    if (source.part === null) return new ScanReader(query, request, page, source);
    if (!this.answers.has(source.part)) await this.ask(source);
    const answer = this.answers.get(source.part) ?? null;
    if (answer === null) {
      query.searched.gone++;
      return null;
    }
    return isScanCheaper(answer)
      ? new ScanReader(query, request, page, source)
      : new TermReader(query, request, page, source, answer);
  }

  /** Asks the terms of a part, and of those whose turn is likely to come next. */
  private async ask(source: Source): Promise<void> {
    const { older } = this.page;
    const waiting = this.sources
      .filter((s) => s !== source && s.part !== null && !this.answers.has(s.part))
      .sort((a, b) => (older ? b.maxTimeUs - a.maxTimeUs : a.minTimeUs - b.minTimeUs))
      .slice(0, this.ahead - 1);
    const parts = [source, ...waiting].map((s) => s.part!);
    const found = await this.request.terms.answer(this.query.db, this.query.plan, parts, () => this.query.isOver);
    for (const part of parts) this.answers.set(part, found.get(part) ?? null);
    this.ahead = Math.min(this.ahead * 4, MOST_PARTS_AT_ONCE);
  }
}

/** A source that is begun when something is asked of it. */
class Begun implements SourceReader {
  private reader: SourceReader | null = null;
  private begun = false;

  constructor(
    private readonly bound: PageKey,
    private readonly begin: () => Promise<SourceReader | null>,
  ) {}

  get frontier(): PageKey | null {
    return this.begun ? (this.reader?.frontier ?? null) : this.bound;
  }

  async advance(): Promise<Found[]> {
    if (!this.begun) {
      this.reader = await this.begin();
      this.begun = true;
    }
    return this.reader?.advance() ?? [];
  }
}

/** The key just before all that a source can hold, in the page's order. */
const boundOf = (source: Source, older: boolean): PageKey => ({
  timeUs: older ? source.maxTimeUs + 1 : source.minTimeUs,
  id: "0",
});

/** Lets the database go through a source. */
class ScanReader implements SourceReader {
  frontier: PageKey | null;
  private cursor: PageKey | null;

  constructor(
    private readonly query: SearchQuery,
    private readonly request: SearchRequest,
    private readonly page: Page,
    private readonly source: Source,
  ) {
    query.searched.byScan++;
    this.cursor = request.cursor;
    this.frontier = boundOf(source, page.older);
  }

  async advance(): Promise<Found[]> {
    const { query, source, page } = this;
    const { params, condition } = query.compile(source.shape);
    const limit = condition.exact ? page.wanted : CHUNK_ROWS;
    let keyset = "";
    if (this.cursor) {
      const time = params.add(this.cursor.timeUs, "::bigint");
      const id = params.add(this.cursor.id, "::bigint");
      keyset = ` and (r.time, r.id) ${page.older ? "<" : ">"} (${time}, ${id}) and r.time ${page.older ? "<=" : ">="} ${time}`;
    }
    const order = page.older ? "order by r.time desc, r.id desc" : "order by r.time, r.id";
    const rows = await query.rows(
      `${selectFrom(source.segment, this.request.reader)} where ${query.bounds(source, params)}${keyset} and ${condition.text} ${order} limit ${limit}`,
      params.values,
    );
    const records = readRows(source.segment, rows);
    query.searched.rowsRead += records.length;
    const last = records[records.length - 1];
    this.cursor = last === undefined || records.length < limit ? null : keyOf(last);
    this.frontier = this.cursor;
    const matching = condition.exact ? records : records.filter(query.test);
    return matching.map((record) => ({ ...keyOf(record), segment: source.segment, record }));
  }
}

/** Takes from a part what its terms say. */
class TermReader implements SourceReader {
  frontier: PageKey | null;
  private readonly keys: PartKeys;

  constructor(
    private readonly query: SearchQuery,
    private readonly request: SearchRequest,
    private readonly page: Page,
    private readonly source: Source,
    private readonly answer: PartAnswer,
  ) {
    query.searched.byTerms++;
    this.frontier = answer.perhaps.isEmpty() ? null : boundOf(source, page.older);
    this.keys = new PartKeys(query, request, source, answer.perhaps);
  }

  async advance(): Promise<Found[]> {
    if (this.frontier === null) return [];
    const { segment } = this.source;
    const { sure } = this.answer;
    const batch = await this.keys.next(this.page.wanted);
    const last = batch[batch.length - 1];
    this.frontier = last === undefined ? null : { timeUs: last.timeUs, id: last.id };
    const open = batch.filter((k) => !sure.has(k.row));
    const found: Found[] = batch
      .filter((k) => sure.has(k.row))
      .map(({ timeUs, id }) => ({ timeUs, id, segment, record: null }));
    if (open.length > 0) {
      const ids = open.map((k) => k.id);
      for (const record of await this.query.readIds(segment, ids, this.request.reader))
        if (this.query.test(record)) found.push({ ...keyOf(record), segment, record });
    }
    return found;
  }
}

interface RowKeyOf extends PageKey {
  readonly row: number;
}

/** The keys of some rows of a part in the page's order, read from its directory block by block. */
class PartKeys {
  private readonly older: boolean;
  private blocks: { readonly number: number; readonly boundUs: number }[] | null = null;
  private waiting: RowKeyOf[] = [];

  constructor(
    private readonly query: SearchQuery,
    private readonly request: SearchRequest,
    private readonly source: Source,
    private readonly rows: RowSet,
  ) {
    this.older = request.direction === "older";
  }

  /** The next keys, about as many as wanted; none at the end. */
  async next(wanted: number): Promise<RowKeyOf[]> {
    this.blocks ??= await this.order();
    const { blocks } = this;
    const { db, scope } = this.query;
    for (;;) {
      const bound = blocks[0]?.boundUs;
      const certain =
        bound === undefined
          ? this.waiting.length
          : this.waiting.filter((k) => (this.older ? k.timeUs > bound : k.timeUs < bound)).length;
      if (bound === undefined || certain >= wanted) return this.waiting.splice(0, Math.min(certain, wanted));
      const { number } = blocks.shift()!;
      const columns = (await scope.terms.readDirectory(db, this.source.part!, new Set([number]))).get(number);
      if (columns === undefined) continue;
      const first = number * DIRECTORY_ROWS;
      for (const row of this.rows.list(first, first + DIRECTORY_ROWS)) {
        const timeUs = columns.timesUs[row - first]!;
        if (timeUs < this.query.fromUs || timeUs >= this.query.toUs) continue;
        const id = formatRecordId({ us: columns.storedUs[row - first]!, collector: this.source.collector });
        if (this.isBeyondCursor(timeUs, id)) this.waiting.push({ timeUs, id, row });
      }
      const sign = this.older ? -1 : 1;
      this.waiting.sort((x, y) => sign * (x.timeUs - y.timeUs || compareIds(x.id, y.id)));
    }
  }

  private isBeyondCursor(timeUs: number, id: string): boolean {
    const { cursor } = this.request;
    if (cursor === null) return true;
    const order = timeUs - cursor.timeUs || compareIds(id, cursor.id);
    return this.older ? order < 0 : order > 0;
  }

  /** Blocks that hold any of the rows within the window, those nearest to where the search comes from first. */
  private async order(): Promise<{ number: number; boundUs: number }[]> {
    const head = (await this.query.scope.terms.readHeads(this.query.db, [this.source.part!])).get(this.source.part!);
    const blocks: { number: number; boundUs: number }[] = [];
    head?.blockMinUs.forEach((minUs, number) => {
      const maxUs = head.blockMaxUs[number]!;
      if (maxUs < this.query.fromUs || minUs >= this.query.toUs) return;
      if (this.rows.list(number * DIRECTORY_ROWS, (number + 1) * DIRECTORY_ROWS).length === 0) return;
      blocks.push({ number, boundUs: this.older ? maxUs : minUs });
    });
    return blocks.sort((a, b) => (this.older ? b.boundUs - a.boundUs : a.boundUs - b.boundUs));
  }
}

const keyOf = (r: HalvikRecord): PageKey => ({ timeUs: r.timeUs, id: r.id });
const compareIds = (a: string, b: string): number => a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);
