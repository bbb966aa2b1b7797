import { leadingNumber } from "@halvik/core/base/text";
import { type EpochUs, US_PER_HOUR } from "@halvik/core/base/time";
import { type Count, type FieldName, type HalvikRecord, KINDS } from "@halvik/core/model/record";
import type { SenderDirectory, SenderTrait } from "@halvik/core/model/senders";
import { namesField } from "@halvik/core/query/filter";
import {
  type Accumulated,
  type Brought,
  type Clock,
  clockValue,
  type Grouping,
  type MeasureAsked,
  type Measured,
  type NumberOf,
  Tally,
} from "@halvik/core/query/measure";
import { countRowsIn, DIRECTORY_ROWS, type RowSet } from "@halvik/core/query/terms";
import type { Queryable } from "../kernel/db/pool.js";
import { filterToSql, fromRollups, Params } from "./filter-sql.js";
import { eachSource, fewRecords, type PartSource, type SourceVisitor } from "./part-matches.js";
import { ROLLUP_LEVELS } from "./rollups.js";
import { amountsOfRows } from "./row-amounts.js";
import { scanRecords } from "./scan-records.js";
import { type Searched, SearchQuery, type SearchScope } from "./search-query.js";
import type { Source } from "./sources.js";
import type { PartHead } from "./term-index.js";
import { ValueReader, type ValuesOf } from "./values-of.js";

/** What is measured; shares, ratios and first sightings are asked as counts. */
export interface MeasureOf {
  readonly figure: Accumulated;
  readonly by: MeasureAsked["by"];
  /** Beginnings of steps, ascending, and the end of the last; null: no steps. */
  readonly steps: readonly EpochUs[] | null;
  /** By whose clock hours and days are told. */
  readonly zone: string;
}

export interface MeasuredRecords extends Measured {
  /** False: of the newest records only, back to `coveredFromUs`. */
  readonly complete: boolean;
  readonly coveredFromUs: EpochUs;
  readonly source: "rollups" | "records";
  readonly searched: Searched;
}

/** Measures the records that match, from rollups where they hold the answer, else from terms, else from the records themselves. */
export async function measureRecords(db: Queryable, scope: SearchScope, of: MeasureOf): Promise<MeasuredRecords> {
  const query = new SearchQuery(db, scope);
  const tally = new Tally(of.figure, of.steps);
  if (!answeredByRollups(scope, of) || query.fromUs >= query.toUs) {
    const openUs = await eachSource(query, new Measuring(query, of, tally));
    return answer(query, tally, openUs, "records");
  }
  // rollups outlive the records they were made of: as far as segments have been dropped, what is left is measured
  const { rows } = await db.query<{ dropped: number | null }>(
    "select max(max_time) as dropped from dropped_segment where max_time >= $1 and min_time < $2",
    [query.fromUs, query.toUs],
  );
  const keptFromUs = Math.min(query.toUs, (rows[0]!.dropped ?? query.fromUs - 1) + 1);
  const openUs = await measureStretch(query, of, tally, { fromUs: keptFromUs, toUs: query.toUs }, ROLLUP_LEVELS);
  const left = { fromUs: query.fromUs, toUs: keptFromUs };
  const openBefore = left.fromUs < left.toUs ? await measureStretch(query, of, tally, left, []) : null;
  return answer(query, tally, openUs ?? openBefore, "rollups");
}

const answer = (
  query: SearchQuery,
  tally: Tally,
  openUs: EpochUs | null,
  source: MeasuredRecords["source"],
): MeasuredRecords => ({
  ...tally.result(),
  complete: openUs === null,
  coveredFromUs: openUs === null ? query.fromUs : Math.min(query.toUs, openUs + 1),
  source,
  searched: query.searched,
});

type Level = (typeof ROLLUP_LEVELS)[number];
interface Stretch {
  readonly fromUs: EpochUs;
  readonly toUs: EpochUs;
}

/** What rollups tell apart. */
const ROLLED_UP: readonly string[] = ["sender", "kind", "severity"];

const answeredByRollups = ({ filter, shape }: SearchScope, { figure, by }: MeasureOf): boolean =>
  shape === undefined &&
  figure.of === "records" &&
  fromRollups(filter) &&
  by.every((g) => "clock" in g || "sender" in g || ("field" in g && ROLLED_UP.includes(g.field)));

/** The buckets of the coarsest level that lie within one step and one hour of the clock from its rollup, the rest from finer ones, at last from records. */
async function measureStretch(
  query: SearchQuery,
  of: MeasureOf,
  tally: Tally,
  { fromUs, toUs }: Stretch,
  levels: readonly Level[],
): Promise<EpochUs | null> {
  const level = levels[levels.length - 1];
  if (fromUs >= toUs) return null;
  if (level === undefined) {
    const narrowed = new SearchQuery(query.db, { ...query.scope, fromUs, toUs });
    const openUs = await eachSource(narrowed, new Measuring(narrowed, of, tally));
    for (const part of ["segments", "byTerms", "byScan", "rowsRead", "gone"] as const)
      query.searched[part] += narrowed.searched[part];
    return openUs;
  }
  const finer = levels.slice(0, -1);
  const { widthUs } = level;
  const cuts = (of.steps ?? []).filter((s) => s > fromUs && s < toUs);
  const fits = cuts.every((s) => s % widthUs === 0) && (!usesSenders(of, query.scope) || level.bySender);
  const inner = { fromUs: Math.ceil(fromUs / widthUs) * widthUs, toUs: Math.floor(toUs / widthUs) * widthUs };
  if (
    !fits ||
    inner.fromUs >= inner.toUs ||
    (usesClock(of) && widthUs > US_PER_HOUR / 4 && !wholeHours(of.zone, inner))
  )
    return measureStretch(query, of, tally, { fromUs, toUs }, finer);
  await fromRollup(query, of, tally, inner, level);
  const after = await measureStretch(query, of, tally, { fromUs: inner.toUs, toUs }, finer);
  const before = await measureStretch(query, of, tally, { fromUs, toUs: inner.fromUs }, finer);
  return after ?? before;
}

const usesClock = ({ by }: MeasureOf): boolean => by.some((g) => "clock" in g);
const usesSenders = ({ by }: MeasureOf, { filter }: SearchScope): boolean =>
  by.some((g) => "sender" in g || ("field" in g && g.field === "sender")) || namesField(filter, "sender");

/** Whether the zone's hours are those of UTC at both ends. */
const wholeHours = (zone: string, { fromUs, toUs }: Stretch): boolean =>
  [fromUs, toUs].every((us) => clockValue("hour of day", us, zone) !== clockValue("hour of day", us - 1, zone));

async function fromRollup(
  { db, scope }: SearchQuery,
  of: MeasureOf,
  tally: Tally,
  { fromUs, toUs }: Stretch,
  { table, widthUs, bySender }: Level,
): Promise<void> {
  const params = new Params();
  const [from, to] = [params.add(fromUs / widthUs), params.add(toUs / widthUs)];
  const where = `r.bucket >= ${from} and r.bucket < ${to} and ${filterToSql(scope.filter, params, scope).text}`;
  const needs = (field: string) => of.by.some((g) => "field" in g && g.field === field);
  const sender = bySender && of.by.some((g) => "sender" in g || ("field" in g && g.field === "sender"));
  const cuts = (of.steps ?? []).filter((s) => s > fromUs && s < toUs);
  const at = usesClock(of)
    ? "r.bucket"
    : cuts.length === 0
      ? "0"
      : `width_bucket(r.bucket::bigint, ${params.add(
          cuts.map((s) => s / widthUs),
          "::bigint[]",
        )})`;
  /** Of a bucket, or of a number of cuts before it. */
  const momentOf = (n: number) => (usesClock(of) ? n * widthUs : n === 0 ? fromUs : cuts[n - 1]!);
  const { rows } = await db.query<{ at: number; sender: number; kind: number; severity: number; count: number }>(
    `select ${at}::bigint as at, ${sender ? "r.sender" : "0"} as sender, ${needs("kind") ? "r.kind" : "0"} as kind,
       ${needs("severity") ? "r.severity" : "0"} as severity, sum(r.count)::bigint as count
     from ${table} r where ${where} group by 1, 2, 3, 4`,
    params.values,
  );
  const keys = of.by.map((g) => keyOfRollup(g, of.zone, scope.directory));
  for (const row of rows) {
    const atUs = momentOf(row.at);
    tally.add(
      atUs,
      keys.map((key) => key(row, atUs)),
      NOTHING,
      row.count,
    );
  }
}

const NOTHING: Brought = { number: null };

type RolledUp = { readonly sender: number; readonly kind: number; readonly severity: number };
function keyOfRollup(
  grouping: Grouping,
  zone: string,
  directory: SenderDirectory,
): (row: RolledUp, atUs: EpochUs) => readonly string[] {
  if ("clock" in grouping) return (_, atUs) => [clockValue(grouping.clock, atUs, zone)];
  if ("sender" in grouping) return (row) => directory.traits(row.sender, grouping.sender);
  const { field } = grouping as { field: string };
  if (field === "sender") return (row) => [String(row.sender)];
  return field === "kind" ? (row) => [KINDS[row.kind]!] : (row) => [String(row.severity)];
}

/** What tells records apart: by the clock, or by values, those of senders perhaps by what they belong to. */
type Key = { readonly clock: Clock } | { readonly values: ValueReader; readonly trait: SenderTrait | null };

class Measuring implements SourceVisitor {
  private readonly keys: readonly Key[];
  private readonly values: ValueReader | null;
  private readonly number: NumberOf | null;

  constructor(
    private readonly query: SearchQuery,
    private readonly of: MeasureOf,
    private readonly tally: Tally,
  ) {
    const { directory, terms } = query.scope;
    const reader = (what: ValuesOf) => new ValueReader(what, query.db, terms, directory);
    this.keys = of.by.map((g): Key => {
      if ("clock" in g) return g;
      if ("sender" in g) return { values: reader({ field: "sender" }), trait: g.sender };
      return { values: reader("data" in g ? g : { field: g.field as FieldName }), trait: null };
    });
    const { figure } = of;
    this.number = "number" in figure ? figure.number : null;
    this.values =
      figure.of === "distinct"
        ? reader("data" in figure.values ? figure.values : { field: figure.values.field as FieldName })
        : this.number !== null && "data" in this.number
          ? reader({ data: this.number.data })
          : null;
  }

  async fromTerms(source: PartSource, head: PartHead, rows: RowSet): Promise<void> {
    if (rows.isEmpty()) return;
    const few = await fewRecords(this.query, source, rows);
    if (few !== null) {
      for (const record of few) this.addRecord(record);
      return;
    }
    const part = { part: source.part, head };
    const [only = null, second = null] = this.keys;
    const ofTerms = only === null ? null : termsOf(only);
    const isCounted = only === null || (second === null && ofTerms !== null);
    if (this.of.figure.of === "records" && this.of.steps === null && isCounted) {
      // by the vocabulary of the field: no row is gone through by itself
      if (ofTerms !== null)
        await ofTerms.eachTerm(part, (value, postings) => {
          const count = countRowsIn(postings, rows);
          if (count > 0) this.tally.count([value], count);
        });
      this.tally.countAll(rows.count());
      return;
    }
    const times = this.needsTimes ? await this.timesOf(source, rows) : null;
    const amounts =
      this.number !== null && "field" in this.number
        ? await amountsOfRows(this.query, this.number.field, source)
        : null;
    if (this.number !== null && "field" in this.number && amounts === null) {
      this.query.searched.gone++;
      return;
    }
    const brought = (await this.values?.byRow(part, rows)) ?? null;
    const keys: (readonly (readonly string[] | undefined)[] | null)[] = [];
    for (const key of this.keys) keys.push("clock" in key ? null : await key.values.byRow(part, rows));
    for (const row of rows.list(0, rows.rows)) {
      const atUs = times?.[row] ?? 0;
      const amount = amounts === null ? null : amounts(row);
      this.tally.add(
        atUs,
        this.keys.map((key, i) => this.keysOf(key, keys[i]?.[row] ?? [], atUs)),
        this.bring(amount, brought?.[row] ?? []),
      );
    }
  }

  scan(source: Source): Promise<boolean> {
    return scanRecords(this.query, source, (record) => {
      this.addRecord(record);
      return !this.tally.full;
    });
  }

  private addRecord(record: HalvikRecord): void {
    const keys = this.keys.map((key) =>
      this.keysOf(key, "clock" in key ? [] : [...key.values.ofRecord(record).keys()], record.timeUs),
    );
    const amount = this.number !== null && "field" in this.number ? record[this.number.field] : null;
    this.tally.add(record.timeUs, keys, this.bring(amount, [...(this.values?.ofRecord(record).keys() ?? [])]));
  }

  private keysOf(key: Key, values: readonly string[], atUs: EpochUs): readonly string[] {
    if ("clock" in key) return [clockValue(key.clock, atUs, this.of.zone)];
    const { trait } = key;
    return trait === null ? values : values.flatMap((id) => this.query.scope.directory.traits(Number(id), trait));
  }

  private bring(amount: Count | null, values: readonly string[]): Brought {
    if (this.values === null) return { number: amount };
    if (this.of.figure.of === "distinct") return { values };
    // what a filter takes for a number, with its unit or without
    return { number: values.length === 0 ? null : leadingNumber(values[0]!) };
  }

  private get needsTimes(): boolean {
    return this.of.steps !== null || usesClock(this.of);
  }

  private async timesOf({ part }: PartSource, rows: RowSet): Promise<Float64Array> {
    const times = new Float64Array(rows.rows);
    const numbers = new Set<number>();
    for (let first = 0; first < rows.rows; first += DIRECTORY_ROWS)
      if (rows.count(first, first + DIRECTORY_ROWS) > 0) numbers.add(first / DIRECTORY_ROWS);
    const directory = await this.query.scope.terms.readDirectory(this.query.db, part, numbers);
    for (const [number, { timesUs }] of directory)
      times.set(timesUs.slice(0, rows.rows - number * DIRECTORY_ROWS), number * DIRECTORY_ROWS);
    return times;
  }
}

/** The values of a key that are terms as they stand. */
const termsOf = (key: Key): ValueReader | null =>
  "clock" in key || key.trait !== null || !key.values.isOfTerms ? null : key.values;
