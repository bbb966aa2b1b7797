import type { EpochUs } from "@halvik/core/base/time";
import type { HalvikRecord } from "@halvik/core/model/record";
import { DIRECTORY_ROWS, type PartAnswer, type RowSet } from "@halvik/core/query/terms";
import { formatRecordId } from "./record-id.js";
import type { SearchQuery } from "./search-query.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";

const READ_AT_ONCE = 1_000;
/** Where more than one row in so many may match without the terms being sure, the database goes through them all. */
const SCAN_ABOVE = 1 / 16;

export const isScanCheaper = ({ sure, perhaps }: PartAnswer): boolean =>
  perhaps.count() - sure.count() > perhaps.rows * SCAN_ABOVE;

/** A source that is a part. */
export type PartSource = Source & { readonly part: number };

/** Just the rows of a part that match within the window; null when time was over before all were looked at. */
async function matchesOf(
  query: SearchQuery,
  source: PartSource,
  head: PartHead,
  { sure, perhaps }: PartAnswer,
): Promise<RowSet | null> {
  const rows = perhaps;
  if (rows.isEmpty()) return rows;
  const { terms } = query.scope;
  const whole = source.minTimeUs >= query.fromUs && source.maxTimeUs < query.toUs;
  if (whole && perhaps.count() === sure.count()) return rows;
  const open: { row: number; id: string }[] = [];
  for (const [number, minUs] of head.blockMinUs.entries()) {
    const first = number * DIRECTORY_ROWS;
    const inside = minUs >= query.fromUs && head.blockMaxUs[number]! < query.toUs;
    const list = rows.list(first, first + DIRECTORY_ROWS);
    if (list.length === 0 || (inside && list.every((row) => sure.has(row)))) continue;
    const columns = (await terms.readDirectory(query.db, source.part, new Set([number]))).get(number);
    for (const row of list) {
      const timeUs = columns?.timesUs[row - first] ?? Number.NEGATIVE_INFINITY;
      if (timeUs < query.fromUs || timeUs >= query.toUs) rows.remove(row);
      else if (!sure.has(row))
        open.push({ row, id: formatRecordId({ us: columns!.storedUs[row - first]!, collector: source.collector }) });
    }
  }
  for (let at = 0; at < open.length; at += READ_AT_ONCE) {
    if (query.isOver) return null;
    const some = open.slice(at, at + READ_AT_ONCE);
    const read = await query.readIds(
      source.segment,
      some.map((o) => o.id),
    );
    const matching = new Set(read.filter(query.test).map((r) => r.id));
    for (const { row, id } of some) if (!matching.has(id)) rows.remove(row);
  }
  return rows;
}

/** The ids of some rows of a part. */
export async function idsOfRows(query: SearchQuery, source: PartSource, rows: readonly number[]): Promise<string[]> {
  const numbers = new Set(rows.map((row) => Math.floor(row / DIRECTORY_ROWS)));
  const directory = await query.scope.terms.readDirectory(query.db, source.part, numbers);
  return rows.flatMap((row) => {
    const us = directory.get(Math.floor(row / DIRECTORY_ROWS))?.storedUs[row % DIRECTORY_ROWS];
    return us === undefined ? [] : [formatRecordId({ us, collector: source.collector })];
  });
}

/** So few rows are sooner read as records than the terms of their values are gone through. */
const FEW_ROWS = 300;

/** The records of some rows of a part, where they are few; null: they are not. */
export async function fewRecords(query: SearchQuery, source: PartSource, rows: RowSet): Promise<HalvikRecord[] | null> {
  if (rows.count() > FEW_ROWS) return null;
  return query.readIds(source.segment, await idsOfRows(query, source, rows.list(0, rows.rows)));
}

/** What is done with the sources of a search. */
export interface SourceVisitor {
  /** A part whose matching rows are known. */
  fromTerms(source: PartSource, head: PartHead, rows: RowSet): Promise<void>;
  /** A source that the database has to go through. @returns false when time was over */
  scan(source: Source): Promise<boolean>;
}

const PARTS_AT_ONCE = 16;

/**
 * Takes a search through all its sources, newest first. @returns null, or when time was over the greatest moment of the first source
 * that was not looked at to its end
 */
export async function eachSource(query: SearchQuery, visitor: SourceVisitor): Promise<EpochUs | null> {
  const { terms } = query.scope;
  const sources = await query.sources();
  for (let at = 0; at < sources.length; at += PARTS_AT_ONCE) {
    const some = sources.slice(at, at + PARTS_AT_ONCE);
    const parts = some.flatMap((s) => (s.part === null ? [] : [s.part]));
    const answers = await terms.answer(query.db, query.plan, parts, () => query.isOver);
    const heads = await terms.readHeads(query.db, parts);
    for (const source of some) {
      if (query.isOver) return source.maxTimeUs;
      const answer = source.part === null ? undefined : answers.get(source.part);
      if (source.part !== null && answer === undefined) query.searched.gone++;
      else if (answer === undefined || isScanCheaper(answer)) {
        query.searched.byScan++;
        if (!(await visitor.scan(source))) return source.maxTimeUs;
      } else {
        query.searched.byTerms++;
        const head = heads.get(source.part!)!;
        const rows = await matchesOf(query, source as PartSource, head, answer);
        if (rows === null) return source.maxTimeUs;
        await visitor.fromTerms(source as PartSource, head, rows);
      }
    }
  }
  return null;
}
