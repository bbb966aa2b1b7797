import type { TrafficAnswer } from "@halvik/contract/traffic";
import { formatUs, US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "@halvik/core/base/time";
import { CUT, type Dimension, sayValue } from "@halvik/core/traffic";
import type * as z from "zod";
import type { Queryable } from "../../kernel/db/pool.js";
import { onSteps, piecesOf, readSums, readTop, type SumRow, WHOLE_WINDOW } from "../../store/traffic/read-sums.js";
import { addTo, asked, FIVE, nothing, type Question, setOf, WEEK } from "./question.js";

/** Widths of the steps of a profile. */
const WIDTHS = [1, 5, 10, 15, 30, 60, 120, 180, 360, 720, 1_440].map((m) => m * US_PER_MINUTE);
/** Steps a profile has at most: as many as can be told apart on a screen. */
const MOST_STEPS = 170;
/** The finest steps of which a screen has room for a window. @param leastUs finer ones there are none */
export const widthOf = (spanUs: number, leastUs: number): number =>
  WIDTHS.find((w) => w >= leastUs && spanUs / w <= MOST_STEPS) ??
  Math.ceil(spanUs / MOST_STEPS / US_PER_DAY) * US_PER_DAY;
/** Values that bands are chosen from: several may have one name. */
const MOST_VALUES = 5_000;
/** Bands that can be told from one another by weight alone. */
const MOST_BANDS = 5;
/** What a course is made of. */
interface CourseRows {
  readonly window: { readonly fromUs: number; readonly toUs: number };
  readonly width: number;
  readonly sumsUs: number;
  readonly wholes: readonly SumRow[];
  readonly parts: readonly SumRow[];
  readonly weekBefore: readonly SumRow[];
  /** Width of the steps that the week before is told in. */
  readonly grain: number;
  readonly reachedUs: number | null;
}

async function read(db: Queryable, q: Question, by: Dimension): Promise<CourseRows> {
  const isFine = q.scan !== null || ((by === "application" || by === "total") && q.fromUs >= q.minuteSinceUs);
  const isFive = q.fromUs >= q.kept.fiveSinceUs;
  const least = isFine ? US_PER_MINUTE : isFive ? FIVE : US_PER_HOUR;
  const width = widthOf(q.toUs - q.fromUs, least);
  const window = onSteps(q.fromUs, q.toUs, width);
  if (q.scan !== null) return scanned(window, width, by, q.scan);
  const meters = setOf(q);
  const pieces = piecesOf(window.fromUs, window.toUs, width, q.kept);
  const before = piecesOf(window.fromUs - WEEK, window.toUs - WEEK, Math.max(width, FIVE), q.kept);
  // told in coarser steps than were asked for, it lies evenly over them
  const grain = Math.max(width, ...before.map((p) => p.level.widthUs));
  return {
    window,
    width,
    sumsUs: Math.min(...pieces.map((p) => p.level.widthUs)),
    wholes: await readSums(db, meters, "total", pieces, width),
    parts: by === "total" ? [] : await readSums(db, meters, by, pieces, width, await wanted(db, q, by, window, width)),
    weekBefore: await readSums(db, meters, "total", before, grain),
    grain,
    reachedUs: null,
  };
}

/** Values of the bands that are drawn: what the others did step by step need not be read. Null: in so short a window they are all read. */
async function wanted(
  db: Queryable,
  q: Question,
  by: Dimension,
  { fromUs, toUs }: CourseRows["window"],
  width: number,
): Promise<string[] | null> {
  if (width < FIVE) return null;
  const pieces = piecesOf(fromUs, toUs, WHOLE_WINDOW, q.kept);
  const { rows } = await readTop(db, setOf(q), by, pieces, q.measure, MOST_VALUES);
  const byLabel = new Map<string, { amount: number; values: string[] }>();
  for (const row of rows) {
    const { label } = sayValue(by, row.value, q.applications);
    const known = byLabel.get(label) ?? { amount: 0, values: [] };
    byLabel.set(label, known);
    known.amount += row[q.measure];
    known.values.push(row.value);
  }
  const bands = [...byLabel].sort(([a, x], [b, y]) => y.amount - x.amount || (a < b ? -1 : 1)).slice(0, MOST_BANDS);
  return bands.flatMap(([, { values }]) => values);
}

async function scanned(
  window: CourseRows["window"],
  width: number,
  by: Dimension,
  scan: NonNullable<Question["scan"]>,
): Promise<CourseRows> {
  const { sums, reachedUs } = await scan(window, {
    widthUs: width,
    dimensions: by === "total" ? ["total"] : ["total", by],
  });
  // a step that was looked at in part would be too small
  const [wholes, parts = []] = sums.map((rows) => rows.filter((r) => reachedUs === null || r.fromUs >= reachedUs));
  return {
    window,
    width,
    sumsUs: 0,
    wholes: wholes!,
    parts,
    weekBefore: [],
    grain: width,
    reachedUs: reachedUs === null ? null : Math.min(window.toUs, Math.ceil(reachedUs / width) * width),
  };
}

/** The course of traffic over a window, by side and by the greatest values. */
export async function profile(
  db: Queryable,
  q: Question,
  by: Dimension,
): Promise<Omit<z.infer<typeof TrafficAnswer>, "capacity" | "counters">> {
  const { sides } = q.metered;
  const { window, width, sumsUs, wholes, parts, weekBefore, grain, reachedUs } = await read(db, q, by);
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
    asked: asked({ ...q, ...window }, sumsUs, reachedUs),
    step: Math.round(width / US_PER_SECOND),
    sides,
    total,
    estimated,
    bands: bands.map(([name]) => name),
    steps: [...steps].map(([us, step]) => ({ from: formatUs(us), ...step })),
  };
}
