import type { TrafficLists } from "@halvik/contract/traffic";
import { US_PER_DAY, US_PER_HOUR } from "@halvik/core/base/time";
import { CUT, type Dimension, filterOf, type Said, sayValue, sitesOf, TrafficSums } from "@halvik/core/traffic";
import type * as z from "zod";
import type { Queryable } from "../../kernel/db/pool.js";
import {
  type Amounted,
  onSteps,
  piecesOf,
  readSums,
  readTop,
  readUnlisted,
  type SumRow,
  sumsAtHand,
  WHOLE_WINDOW,
} from "../../store/traffic/read-sums.js";
import { flowsOf } from "../../store/traffic/sum-flows.js";
import { isAlwaysKept } from "../../store/traffic/sum-rows.js";
import {
  addTo,
  asked,
  FIVE,
  keepsLists,
  type MeasureName,
  nothing,
  type Question,
  setOf,
  type Total,
  WEEK,
} from "./question.js";

/** Steps of the course of a value. */
const COURSE = 24;
/** From so many hours on it is told by whole hours, from so many days on by whole days. */
const LEAST_HOURS = 12;
const LEAST_DAYS = 16;
/** Values that are read of a dimension at most. */
const MOST_VALUES = 50_000;

/** Where the lists of a window come from. */
interface ListSource {
  readonly fromUs: number;
  readonly toUs: number;
  /** Of the steps it was made from; 0: of the flows themselves. */
  readonly sumsUs: number;
  /** Width of the steps of the courses of values. */
  readonly courseUs: number;
  /** From when on all flows were looked at; null: all of the window. */
  readonly reachedUs: number | null;
  readonly rows: (dimension: Dimension, bucketUs: number, only?: readonly string[]) => Promise<SumRow[]>;
  /** Bytes of steps whose lists were not kept, because they had few flows. */
  readonly unlisted: number;
  /** The greatest values over all of it. @param most as many as are wanted; Infinity: all */
  readonly top: (dimension: Dimension, most: number) => ReturnType<typeof readTop>;
}

/** Windows so short are answered from the flows themselves, while there are not more than so many. */
const RAW_US = 3 * US_PER_HOUR;
const RAW_FLOWS = 40_000;

const courseWidth = (spanUs: number, leastUs: number): number =>
  Math.max(leastUs, Math.ceil(spanUs / COURSE / leastUs) * leastUs);

/** Goes through the flows themselves: a filter narrows them. */
async function scannedSource(
  q: Question,
  scan: NonNullable<Question["scan"]>,
  dimensions: readonly Dimension[],
): Promise<ListSource> {
  const courseUs = courseWidth(q.toUs - q.fromUs, FIVE);
  const window = onSteps(q.fromUs, q.toUs, courseUs);
  const wanted: readonly Dimension[] = ["total", ...dimensions.filter((d) => d !== "total")];
  const { sums, reachedUs } = await scan(window, { widthUs: courseUs, dimensions: wanted });
  const rowsOf = (dimension: Dimension) => {
    const rows = sums[wanted.indexOf(dimension)]!;
    // a step that was looked at in part would be too small
    return reachedUs === null ? rows : rows.filter((r) => r.fromUs >= reachedUs);
  };
  return {
    ...window,
    sumsUs: 0,
    courseUs,
    reachedUs: reachedUs === null ? null : Math.min(window.toUs, Math.ceil(reachedUs / courseUs) * courseUs),
    unlisted: 0,
    rows: async (dimension, _bucketUs, only) =>
      only === undefined ? rowsOf(dimension).slice() : rowsOf(dimension).filter((r) => only.includes(r.value)),
    top: async (dimension, most) => topOf(rowsOf(dimension), q.measure, most),
  };
}

export async function listSource(db: Queryable, q: Question, dimensions: readonly Dimension[]): Promise<ListSource> {
  if (q.scan !== null) return scannedSource(q, q.scan, dimensions);
  const five = onSteps(q.fromUs, q.toUs, FIVE);
  const { meters } = q.metered;
  if (five.toUs - five.fromUs <= RAW_US) {
    const flows = await flowsOf(db, five.fromUs, five.toUs, RAW_FLOWS);
    if (flows !== null) {
      const sums = new TrafficSums(sitesOf(q.sites));
      for (const { flow, lane } of flows) sums.add(flow, lane);
      const { level, rows: all } = sums.take().find((l) => l.level.widthUs === FIVE)!;
      return {
        ...five,
        sumsUs: 0,
        courseUs: courseWidth(five.toUs - five.fromUs, FIVE),
        reachedUs: null,
        unlisted: 0,
        rows: async (dimension, bucketUs, only) => sumsAtHand(all, level, meters, dimension, five, bucketUs, only),
        top: async (dimension, most) =>
          topOf(sumsAtHand(all, level, meters, dimension, five, five.toUs - five.fromUs), q.measure, most),
      };
    }
  }
  const set = setOf(q);
  const total = nothing();
  if (q.fromUs >= q.kept.fiveSinceUs)
    for (const row of await readSums(
      db,
      set,
      "total",
      piecesOf(five.fromUs, five.toUs, WHOLE_WINDOW, q.kept),
      WHOLE_WINDOW,
    ))
      addTo(total, row);
  const isBusy = keepsLists(total.flows, meters.length, five.toUs - five.fromUs);
  const window = isBusy ? five : onSteps(q.fromUs, q.toUs, US_PER_HOUR);
  const kept = isBusy ? q.kept : { ...q.kept, fiveSinceUs: Number.POSITIVE_INFINITY };
  const piecesBy = (bucketUs: number) => piecesOf(window.fromUs, window.toUs, bucketUs, kept);
  const pieces = piecesBy(WHOLE_WINDOW);
  const span = window.toUs - window.fromUs;
  const courseUs = courseWidth(span, isBusy && span < LEAST_HOURS * US_PER_HOUR ? FIVE : US_PER_HOUR);
  return {
    ...window,
    sumsUs: Math.max(...pieces.map((p) => p.level.widthUs)),
    courseUs: span >= LEAST_DAYS * US_PER_DAY ? Math.ceil(courseUs / US_PER_DAY) * US_PER_DAY : courseUs,
    reachedUs: null,
    unlisted: await readUnlisted(db, set, pieces),
    rows: (dimension, bucketUs, only) => readSums(db, set, dimension, piecesBy(bucketUs), bucketUs, only),
    top: (dimension, most) => readTop(db, set, dimension, pieces, q.measure, Math.min(most, MOST_VALUES)),
  };
}

/** The greatest values of some dimensions over a window, and exactly what the others are together. */
export async function lists(
  db: Queryable,
  q: Question,
  dimensions: readonly Dimension[],
  most: number,
): Promise<Omit<z.infer<typeof TrafficLists>, "where">> {
  const source = await listSource(db, q, dimensions);
  const whole = nothing();
  for (const row of await source.rows("total", WHOLE_WINDOW)) addTo(whole, row);
  const before = {
    pieces: piecesOf(source.fromUs - WEEK, source.toUs - WEEK, WHOLE_WINDOW, {
      ...q.kept,
      fiveSinceUs: Number.POSITIVE_INFINITY,
    }),
    // of a window that is no whole number of hours the hours of then would say too much
    isKnown:
      q.scan === null &&
      source.fromUs % US_PER_HOUR === 0 &&
      source.toUs % US_PER_HOUR === 0 &&
      // nor does a part of that week say what all of it would
      q.reportedSinceUs <= source.fromUs - WEEK + US_PER_HOUR,
  };
  const known =
    before.isKnown && (await readSums(db, setOf(q), "total", before.pieces, WHOLE_WINDOW)).some((r) => r.bytes > 0);
  const all = await Promise.all(
    dimensions.map(async (dimension) => ({
      dimension,
      ...(await list(db, q, source, whole, dimension, most, known ? before.pieces : null)),
    })),
  );
  return {
    asked: asked({ ...q, fromUs: source.fromUs, toUs: source.toUs }, source.sumsUs, source.reachedUs),
    lists: all,
  };
}

interface Gathered extends Total {
  readonly said: Said;
  readonly values: string[];
}

async function list(
  db: Queryable,
  q: Question,
  source: ListSource,
  whole: Total,
  dimension: Dimension,
  most: number,
  before: ReturnType<typeof piecesOf> | null,
): Promise<Omit<z.infer<typeof TrafficLists>["lists"][number], "dimension">> {
  const byLabel = new Map<string, Gathered>();
  // several values may have one name: of applications all are wanted
  const read = await source.top(dimension, dimension === "application" ? Number.POSITIVE_INFINITY : most);
  for (const row of read.rows) {
    const said = sayValue(dimension, row.value, q.applications);
    const known = byLabel.get(said.label) ?? { said, values: [], ...nothing() };
    byLabel.set(said.label, known);
    known.values.push(row.value);
    addTo(known, row);
  }
  const sorted = [...byLabel.values()].sort(
    (a, b) => b[q.measure] - a[q.measure] || (a.said.label < b.said.label ? -1 : 1),
  );
  const top = sorted.slice(0, most);
  const values = [...new Set(top.flatMap((g) => g.values))];
  const labelOf = new Map(top.flatMap((g) => g.values.map((v) => [v, g.said.label] as const)));
  const inCourse = values.length === 0 ? [] : await source.rows(dimension, source.courseUs, values);
  const courses = coursesOf(inCourse, labelOf, q.measure, source, source.courseUs);
  const weekBefore = new Map<string, number>();
  if (before !== null && values.length > 0)
    for (const row of await readSums(db, setOf(q), dimension, before, WHOLE_WINDOW, values)) {
      const label = labelOf.get(row.value)!;
      weekBefore.set(label, (weekBefore.get(label) ?? 0) + row[q.measure]);
    }
  const listed = nothing();
  for (const row of top) addTo(listed, row);
  const rest = {
    bytes: Math.max(0, whole.bytes - listed.bytes),
    packets: Math.max(0, whole.packets - listed.packets),
    flows: Math.max(0, whole.flows - listed.flows),
  };
  const share = (part: number): number => (whole[q.measure] > 0 ? part / whole[q.measure] : 0);
  return {
    rows: top.map(({ said, values: of, bytes, packets, flows }) => ({
      label: said.label,
      unnamed: said.isUnnamed,
      filter: filterOf(dimension, of[0]!, said, q.sites.networks),
      amounts: { bytes, packets, flows },
      share: share({ bytes, packets, flows }[q.measure]),
      course: courses.get(said.label) ?? [],
      weekBefore: before === null ? null : (weekBefore.get(said.label) ?? 0),
    })),
    others: {
      values: Math.max(read.distinct - read.rows.length, 0) + sorted.length - top.length,
      atLeast: (read.cut?.flows ?? 0) > 0 || (source.unlisted > 0 && !isAlwaysKept(dimension)),
      amounts: rest,
      share: share(rest[q.measure]),
    },
    mayLack: (read.cut?.bytes ?? 0) + (isAlwaysKept(dimension) ? 0 : source.unlisted),
  };
}

/** The same as `readTop`, of rows that are at hand. */
function topOf(rows: readonly SumRow[], measure: MeasureName, most: number): Awaited<ReturnType<typeof readTop>> {
  const sums = new Map<string, Amounted>();
  for (const { value, ...row } of rows) {
    const sum = { ...nothing() };
    addTo(sum, sums.get(value) ?? nothing());
    addTo(sum, row);
    sums.set(value, { value, ...sum });
  }
  const cut = sums.get(CUT) ?? null;
  sums.delete(CUT);
  const sorted = [...sums.values()].sort((a, b) => b[measure] - a[measure] || (a.value < b.value ? -1 : 1));
  return { rows: sorted.slice(0, most), distinct: sorted.length, cut };
}

function coursesOf(
  rows: readonly SumRow[],
  labelOf: ReadonlyMap<string, string>,
  measure: MeasureName,
  { fromUs, toUs }: { readonly fromUs: number; readonly toUs: number },
  width: number,
): Map<string, number[]> {
  const first = Math.floor(fromUs / width);
  const steps = Math.ceil(toUs / width) - first;
  const courses = new Map<string, number[]>();
  for (const row of rows) {
    const label = labelOf.get(row.value)!;
    const course = courses.get(label) ?? Array.from({ length: steps }, () => 0);
    courses.set(label, course);
    const at = Math.round(row.fromUs / width) - first;
    if (at >= 0 && at < steps) course[at]! += row[measure];
  }
  return courses;
}
