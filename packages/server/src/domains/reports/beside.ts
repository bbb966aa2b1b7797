import { isDeepStrictEqual } from "node:util";
import type { Measured, PartMade, ReportMade } from "@halvik/contract/reports";

/**
 * An output beside an earlier one of the same report: every value stands beside what it was then. Parts are held together by title and by what they
 * measure; one that the earlier output has not, or that measured something else, stands by itself.
 */
export const beside = (made: ReportMade, earlier: ReportMade): ReportMade => ({
  ...made,
  before: earlier.window,
  comparable: true,
  parts: made.parts.map((part) => partBeside(part, earlier.parts)),
});

function partBeside(part: PartMade, earlier: readonly PartMade[]): PartMade {
  if (part.is === "measured") {
    const then = earlier.find(
      (p) => p.is === "measured" && p.title === part.title && isDeepStrictEqual(p.measured.asked, part.measured.asked),
    );
    return { ...part, measured: measuredBeside(part.measured, then?.is === "measured" ? then.measured : null) };
  }
  if (part.is === "own figures") {
    const then = earlier.find((p) => p.is === "own figures" && p.title === part.title);
    const was = new Map(then?.is === "own figures" ? then.figures.map((f) => [f.name, f.value]) : []);
    return {
      ...part,
      figures: part.figures.map(({ before: _, ...f }) => (was.has(f.name) ? { ...f, before: was.get(f.name)! } : f)),
    };
  }
  return part;
}

/** @param then what it was; null: it was not measured */
function measuredBeside(now: Measured, then: Measured | null): Measured {
  const alone = ({ before: _, ...row }: Measured["total"]): Measured["total"] => row;
  if (then === null) return { ...now, rows: now.rows.map(alone), total: alone(now.total), stepsBefore: [] };
  const key = (row: Measured["total"]) => JSON.stringify(row.labels);
  const was = new Map(then.rows.map((row) => [key(row), row.value]));
  // of an earlier output the greatest rows are kept: one that is not among them need not have been nothing
  const missing = then.others > 0 ? null : now.addsUp ? 0 : null;
  return {
    ...now,
    rows: now.rows.map((row) => ({ ...alone(row), before: was.get(key(row)) ?? missing })),
    total: { ...alone(now.total), before: then.total.value },
    stepsBefore: now.steps.length === 0 ? [] : now.steps.slice(1).map((_, i) => then.total.steps[i] ?? null),
  };
}
