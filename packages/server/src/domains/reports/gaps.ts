import type { Measured } from "@halvik/contract/reports";
import type { EpochUs } from "@halvik/core/base/time";
import { readRfc3339 } from "@halvik/core/base/time";
import type { Queryable } from "../../kernel/db/pool.js";
import { gapsWithin } from "../intake/listening-repository.js";

/** A course with gaps where nobody listened: a step that lies in one, and has nothing, is not known. What was measured of Halvik's own has none. */
export async function withGaps(db: Queryable, measured: Measured, nowUs: EpochUs): Promise<Measured> {
  if (measured.source === "own" || measured.steps.length < 2) return measured;
  const edges = measured.steps.map((at) => readRfc3339(at)!.us);
  const unheard = await gapsWithin(db, { fromUs: edges[0]!, toUs: edges[edges.length - 1]! }, nowUs);
  const isGap = (i: number) =>
    Number(measured.total.steps[i] ?? 0) === 0 && unheard.some((g) => g.fromUs <= edges[i]! && g.toUs >= edges[i + 1]!);
  const gaps = measured.total.steps.flatMap((_, i) => (isGap(i) ? [i] : []));
  if (gaps.length === 0) return measured;
  const open = <Row extends Measured["total"]>(row: Row): Row => ({
    ...row,
    steps: row.steps.map((v, i) => (gaps.includes(i) ? null : v)),
  });
  return { ...measured, gaps, total: open(measured.total), rows: measured.rows.map(open) };
}
