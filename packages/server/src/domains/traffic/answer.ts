import type { TrafficAnswer, TrafficLists } from "@halvik/contract";
import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import type { Applications } from "@halvik/core/model/applications";
import { CUT, type Dimension, filterOf, type Said, sayValue, TrafficSums } from "@halvik/core/traffic";
import type { z } from "zod";
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
} from "../../store/traffic/read-sums.js";
import { flowsOf } from "../../store/traffic/sum-flows.js";
import { isAlwaysKept } from "../../store/traffic/write-sums.js";
import type { Metered } from "./scope.js";

export type MeasureName = "bytes" | "packets" | "flows";

/** What is asked, ready to be read. */
export interface Question {
  readonly metered: Metered;
  readonly fromUs: number;
  readonly toUs: number;
  readonly measure: MeasureName;
  /** From when on there are sums by the minute, and by five. */
  readonly minuteSinceUs: number;
  readonly fiveSinceUs: number;
  readonly behind: number;
  /** When the first of its exporters was heard first; Infinity: there are none. */
  readonly toldSinceUs: number;
  /** Exporters that share a site, and which. */
  readonly sites: ReadonlyMap<number, string>;
  readonly applications: Applications;
  /** What a sender is called. */
  readonly nameOf: (sender: number) => string;
}

const FIVE = 5 * US_PER_MINUTE;
const WEEK = 7 * US_PER_DAY;
/** Widths of the steps of a profile. */
const WIDTHS = [1, 5, 10, 15, 30, 60, 120, 180, 360, 720, 1_440].map((m) => m * US_PER_MINUTE);
/** Steps a profile has at most: as many as can be told apart on a screen. */
const MOST_STEPS = 170;
/** Bands that can be told from one another by weight alone. */
const MOST_BANDS = 5;
const COURSE = 24;
/** Values that are read of a dimension at most. */
const MOST_VALUES = 50_000;

const asked = (q: Question, sumsUs: number): z.infer<typeof TrafficAnswer>["asked"] => ({
  from: formatUs(q.fromUs),
  to: formatUs(q.toUs),
  counted: q.metered.counted,
  exporters: new Set(q.metered.meters.map((m) => m.sender)).size - q.metered.silent.length,
  silent: q.metered.silent.map(q.nameOf),
  sums: Math.round(sumsUs / US_PER_SECOND),
  behind: q.behind,
});

interface Total {
  bytes: number;
  packets: number;
  flows: number;
}
const nothing = (): Total => ({ bytes: 0, packets: 0, flows: 0 });
const addTo = (total: Total, row: Total): void => {
  total.bytes += row.bytes;
  total.packets += row.packets;
  total.flows += row.flows;
};

/** The course of traffic over a window, by side and by the greatest values. */
export async function profile(
  db: Queryable,
  q: Question,
  by: Dimension,
  capacity: number | null,
): Promise<z.infer<typeof TrafficAnswer>> {
  const isFine = (by === "application" || by === "total") && q.fromUs >= q.minuteSinceUs;
  const isFive = q.fromUs >= q.fiveSinceUs;
  const least = isFine ? US_PER_MINUTE : isFive ? FIVE : US_PER_HOUR;
  const span = q.toUs - q.fromUs;
  const width =
    WIDTHS.find((w) => w >= least && span / w <= MOST_STEPS) ?? Math.ceil(span / MOST_STEPS / US_PER_DAY) * US_PER_DAY;
  const window = onSteps(q.fromUs, q.toUs, width);
  const pieces = piecesOf(window.fromUs, window.toUs, width, q.fiveSinceUs);
  const { meters, sides } = q.metered;
  const wholes = await readSums(db, meters, "total", pieces, width);
  const before = piecesOf(window.fromUs - WEEK, window.toUs - WEEK, Math.max(width, FIVE), q.fiveSinceUs);
  // told in coarser steps than were asked for, it lies evenly over them
  const grain = Math.max(width, ...before.map((p) => p.level.widthUs));
  const weekBefore = await readSums(db, meters, "total", before, grain);
  const parts = by === "total" ? [] : await readSums(db, meters, by, pieces, width);
  const labels = new Map<string, string>();
  const label = (value: string): string => {
    const said = labels.get(value) ?? sayValue(by, value, q.applications).label;
    labels.set(value, said);
    return said;
  };
  const byLabel = new Map<string, number>();
  for (const row of parts)
    if (row.value !== CUT) byLabel.set(label(row.value), (byLabel.get(label(row.value)) ?? 0) + row[q.measure]);
  const bands = [...byLabel].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).slice(0, MOST_BANDS);
  const place = new Map(bands.map(([name], i) => [name, i]));
  const total = Array.from({ length: sides }, nothing);
  const steps = new Map<number, { bands: number[][]; whole: number[]; weekBefore: number[] }>();
  for (let us = window.fromUs; us < window.toUs; us += width)
    steps.set(us, {
      bands: Array.from({ length: sides }, () => bands.map(() => 0)),
      whole: Array.from({ length: sides }, () => 0),
      weekBefore: Array.from({ length: sides }, () => 0),
    });
  const estimated = { bytes: 0, rate: 1 };
  for (const row of wholes) {
    addTo(total[row.side]!, row);
    estimated.bytes += row.estimated;
    estimated.rate = Math.max(estimated.rate, row.rate);
    const step = steps.get(row.fromUs);
    if (step !== undefined) step.whole[row.side]! += row[q.measure];
  }
  for (const row of weekBefore)
    for (let us = row.fromUs + WEEK; us < row.fromUs + WEEK + grain; us += width) {
      const step = steps.get(us);
      if (step !== undefined) step.weekBefore[row.side]! += (row[q.measure] * width) / grain;
    }
  for (const row of parts) {
    const at = row.value === CUT ? undefined : place.get(label(row.value));
    const step = steps.get(row.fromUs);
    if (at !== undefined && step !== undefined) step.bands[row.side]![at]! += row[q.measure];
  }
  return {
    asked: asked({ ...q, ...window }, Math.min(...pieces.map((p) => p.level.widthUs))),
    step: Math.round(width / US_PER_SECOND),
    sides,
    total,
    estimated,
    capacity,
    bands: bands.map(([name]) => name),
    steps: [...steps].map(([us, step]) => ({ from: formatUs(us), ...step })),
  };
}

/** Where the lists of a window come from. */
interface ListSource {
  readonly fromUs: number;
  readonly toUs: number;
  /** Of the steps it was made from; 0: of the flows themselves. */
  readonly sumsUs: number;
  readonly rows: (dimension: Dimension, bucketUs: number, only?: readonly string[]) => Promise<SumRow[]>;
  /** Bytes of steps whose lists were not kept, because they had few flows. */
  readonly unlisted: number;
  /** The greatest values over all of it. @param most as many as are wanted; Infinity: all */
  readonly top: (dimension: Dimension, most: number) => ReturnType<typeof readTop>;
}

/** Windows so short are answered from the flows themselves, while there are not more than so many. */
const RAW_US = 3 * US_PER_HOUR;
const RAW_FLOWS = 40_000;
/** Where a step of five minutes has so many flows of an interface, its lists are kept. */
const BUSY_FLOWS = 300;

async function listSource(db: Queryable, q: Question): Promise<ListSource> {
  const five = onSteps(q.fromUs, q.toUs, FIVE);
  const { meters } = q.metered;
  if (five.toUs - five.fromUs <= RAW_US) {
    const flows = await flowsOf(db, five.fromUs, five.toUs, RAW_FLOWS);
    if (flows !== null) {
      const sums = new TrafficSums((sender) => q.sites.get(sender) ?? null);
      for (const { flow, lane } of flows) sums.add(flow, lane);
      const { level, rows: all } = sums.take().find((l) => l.level.widthUs === FIVE)!;
      return {
        ...five,
        sumsUs: 0,
        unlisted: 0,
        rows: async (dimension, bucketUs, only) => sumsAtHand(all, level, meters, dimension, five, bucketUs, only),
        top: async (dimension, most) =>
          topOf(sumsAtHand(all, level, meters, dimension, five, five.toUs - five.fromUs), q.measure, most),
      };
    }
  }
  const total = nothing();
  if (q.fromUs >= q.fiveSinceUs)
    for (const row of await readSums(
      db,
      meters,
      "total",
      piecesOf(five.fromUs, five.toUs, FIVE, q.fiveSinceUs),
      five.toUs - five.fromUs,
    ))
      addTo(total, row);
  const isBusy = total.flows >= BUSY_FLOWS * Math.max(1, meters.length) * ((five.toUs - five.fromUs) / FIVE);
  const window = isBusy ? five : onSteps(q.fromUs, q.toUs, US_PER_HOUR);
  const pieces = piecesOf(
    window.fromUs,
    window.toUs,
    isBusy ? FIVE : US_PER_HOUR,
    isBusy ? q.fiveSinceUs : Number.POSITIVE_INFINITY,
  );
  return {
    ...window,
    sumsUs: Math.max(...pieces.map((p) => p.level.widthUs)),
    unlisted: await readUnlisted(db, meters, pieces),
    rows: (dimension, bucketUs, only) => readSums(db, meters, dimension, pieces, bucketUs, only),
    top: (dimension, most) => readTop(db, meters, dimension, pieces, q.measure, Math.min(most, MOST_VALUES)),
  };
}

/** The greatest values of some dimensions over a window, and exactly what the others are together. */
export async function lists(
  db: Queryable,
  q: Question,
  dimensions: readonly Dimension[],
  most: number,
): Promise<z.infer<typeof TrafficLists>> {
  const source = await listSource(db, q);
  const whole = nothing();
  const one = source.toUs - source.fromUs;
  for (const row of await source.rows("total", one)) addTo(whole, row);
  const before = {
    pieces: piecesOf(source.fromUs - WEEK, source.toUs - WEEK, US_PER_HOUR, Number.POSITIVE_INFINITY),
    // of a window that is no whole number of hours the hours of then would say too much
    isKnown:
      source.fromUs % US_PER_HOUR === 0 &&
      source.toUs % US_PER_HOUR === 0 &&
      // nor does a part of that week say what all of it would
      q.toldSinceUs <= source.fromUs - WEEK + US_PER_HOUR,
  };
  const known =
    before.isKnown && (await readSums(db, q.metered.meters, "total", before.pieces, one)).some((r) => r.bytes > 0);
  const all = await Promise.all(
    dimensions.map(async (dimension) => ({
      dimension,
      ...(await list(db, q, source, whole, dimension, most, known ? before.pieces : null)),
    })),
  );
  return { asked: asked({ ...q, fromUs: source.fromUs, toUs: source.toUs }, source.sumsUs), lists: all };
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
  const one = source.toUs - source.fromUs;
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
  const least = source.sumsUs >= US_PER_HOUR ? US_PER_HOUR : FIVE;
  const width = Math.max(least, Math.ceil(one / COURSE / least) * least);
  const inCourse = values.length === 0 ? [] : await source.rows(dimension, width, values);
  const courses = coursesOf(inCourse, labelOf, q.measure, source, width);
  const weekBefore = new Map<string, number>();
  if (before !== null && values.length > 0)
    for (const row of await readSums(db, q.metered.meters, dimension, before, one, values)) {
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
      filter: filterOf(dimension, of[0]!, said),
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
