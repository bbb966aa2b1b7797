import type { HalvikRecord } from "@halvik/core/record";
import { DIRECTORY_ROWS, type PartAnswer, type RowSet } from "@halvik/core/terms";
import { isScanCheaper } from "./part-matches.js";
import type { Queryable } from "./pool.js";
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

/** One page by keyset over the sources of a window, newest (or oldest) first, within a time budget. */
export async function searchRecords(db: Queryable, request: SearchRequest): Promise<SearchPage> {
  const query = new SearchQuery(db, request);
  const page = new Page(query, request);
  const sources = (await query.sources()).filter((s) => page.mayHold(s));
  if (request.direction === "newer") sources.sort((a, b) => a.minTimeUs - b.minTimeUs);
  const answers = new Map<number, PartAnswer>();
  let ahead = 2;
  for (const [at, source] of sources.entries()) {
    if (page.isFullBefore(source)) break;
    if (source.part !== null && !answers.has(source.part)) {
      const next = sources.slice(at, at + ahead).flatMap((s) => (s.part === null ? [] : [s.part]));
      for (const [part, answer] of await request.terms.answer(db, query.plan, next)) answers.set(part, answer);
      ahead = Math.min(ahead * 4, MOST_PARTS_AT_ONCE);
    }
    const answer = source.part === null ? undefined : answers.get(source.part);
    if (source.part !== null && answer === undefined) {
      query.searched.gone++;
      continue;
    }
    const next = sources[at + 1];
    const stop =
      answer === undefined || isScanCheaper(answer)
        ? await page.scan(source, next)
        : await page.follow(source, answer, next);
    if (stop !== null) return page.partial(stop);
  }
  return page.finish();
}

/** The key just before all that a source can hold, in the page's order. */
const boundOf = (source: Source, older: boolean): PageKey => ({
  timeUs: older ? source.maxTimeUs + 1 : source.minTimeUs,
  id: "0",
});

/** A page being filled from source after source. */
class Page {
  readonly older: boolean;
  private readonly wanted: number;
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

  /** Whether the page is full of what comes before anything that this source and those after it hold. */
  isFullBefore(source: Source): boolean {
    const last = this.found[this.wanted - 1];
    return last !== undefined && (this.older ? last.timeUs > source.maxTimeUs : last.timeUs < source.minTimeUs);
  }

  async finish(): Promise<SearchPage> {
    const more = this.found.length > this.request.limit;
    const records = await this.read(this.found.slice(0, this.request.limit));
    const last = records[records.length - 1];
    return { records, next: more && last ? keyOf(last) : null, partial: false, searched: this.query.searched };
  }

  /** Whether a key comes before another in the page's order. */
  isBefore(a: PageKey, b: PageKey): boolean {
    const order = a.timeUs - b.timeUs || compareIds(a.id, b.id);
    return this.older ? order > 0 : order < 0;
  }

  /**
   * Where to stop when time is over, having come to `key` of a source (null: to its end) before `next`; null while there is time,
   * and as long as a search that goes on from there would come no further than this one began.
   */
  private stopAt(key: PageKey | null, next: Source | undefined): PageKey | null {
    if (!this.query.isOver) return null;
    const rest = next === undefined ? null : boundOf(next, this.older);
    const stop = key === null || (rest !== null && this.isBefore(rest, key)) ? rest : key;
    const { cursor } = this.request;
    return stop !== null && (cursor === null || this.isBefore(cursor, stop)) ? stop : null;
  }

  /** What is certain when nothing beyond a key has been looked at; the search goes on from there. */
  async partial(key: PageKey): Promise<SearchPage> {
    const certain = this.found.filter((f) => !this.isBefore(key, f));
    if (certain.length > this.request.limit) return this.finish();
    return { records: await this.read(certain), next: key, partial: true, searched: this.query.searched };
  }

  /** Lets the database go through a source. @returns where to stop, if time was over */
  async scan(source: Source, next: Source | undefined): Promise<PageKey | null> {
    const { query } = this;
    query.searched.byScan++;
    let cursor = this.request.cursor;
    for (;;) {
      const { params, condition } = query.compile(source.shape);
      const limit = condition.exact ? this.wanted : CHUNK_ROWS;
      let keyset = "";
      if (cursor) {
        const time = params.add(cursor.timeUs, "::bigint");
        const id = params.add(cursor.id, "::bigint");
        keyset = ` and (r.time, r.id) ${this.older ? "<" : ">"} (${time}, ${id}) and r.time ${this.older ? "<=" : ">="} ${time}`;
      }
      const order = this.older ? "order by r.time desc, r.id desc" : "order by r.time, r.id";
      const rows = await query.rows(
        `${selectFrom(source.segment, this.request.reader)} where ${query.bounds(source, params)}${keyset} and ${condition.text} ${order} limit ${limit}`,
        params.values,
      );
      const records = readRows(source.segment, rows);
      query.searched.rowsRead += records.length;
      this.merge(
        (condition.exact ? records : records.filter(query.test)).map((record) => ({
          ...keyOf(record),
          segment: source.segment,
          record,
        })),
      );
      const last = records[records.length - 1];
      if (last === undefined || records.length < limit || condition.exact || this.isFullAt(last))
        return this.stopAt(null, next);
      cursor = keyOf(last);
      const stop = this.stopAt(cursor, next);
      if (stop !== null) return stop;
    }
  }

  /** Takes from a part what its terms say. @returns where to stop, if time was over */
  async follow(source: Source, { sure, perhaps }: PartAnswer, next: Source | undefined): Promise<PageKey | null> {
    this.query.searched.byTerms++;
    if (perhaps.isEmpty()) return this.stopAt(null, next);
    const keys = new PartKeys(this.query, this.request, source, perhaps);
    for (let batch = await keys.next(this.wanted); batch.length > 0; batch = await keys.next(this.wanted)) {
      const certain = batch.filter((k) => sure.has(k.row));
      const open = batch.filter((k) => !sure.has(k.row));
      const found: Found[] = certain.map(({ timeUs, id }) => ({ timeUs, id, segment: source.segment, record: null }));
      if (open.length > 0) {
        const records = await this.readIds(
          source.segment,
          open.map((k) => k.id),
        );
        for (const record of records)
          if (this.query.test(record)) found.push({ ...keyOf(record), segment: source.segment, record });
      }
      this.merge(found);
      const last = batch[batch.length - 1]!;
      if (this.isFullAt(last)) break;
      const stop = this.stopAt({ timeUs: last.timeUs, id: last.id }, next);
      if (stop !== null) return stop;
    }
    return this.stopAt(null, next);
  }

  /** Whether the page is full of what comes before a key. */
  private isFullAt(key: PageKey): boolean {
    const last = this.found[this.wanted - 1];
    return last !== undefined && !this.isBefore(key, last);
  }

  private merge(more: readonly Found[]): void {
    if (more.length === 0) return;
    this.found = [...this.found, ...more].sort((x, y) => (this.isBefore(x, y) ? -1 : 1)).slice(0, this.wanted);
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
    const pieces = await Promise.all([...missing].map(([segment, ids]) => this.readIds(segment, ids)));
    for (const record of pieces.flat()) read.set(record.id, record);
    return found.flatMap((f) => f.record ?? read.get(f.id) ?? []);
  }

  private async readIds(segment: string, ids: readonly string[]): Promise<HalvikRecord[]> {
    this.query.searched.rowsRead += ids.length;
    const select = selectFrom(segment, this.request.reader);
    return readRows(segment, await this.query.rows(`${select} where r.id = any($1::bigint[])`, [ids]));
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
