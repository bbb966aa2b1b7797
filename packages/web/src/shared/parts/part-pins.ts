import type { PartMade } from "@halvik/contract/reports";
import { MAX_FILTER_LENGTH } from "@halvik/core/query/filter";
import type { PinChoice } from "../pinning";

const MOST_SERIES = 12;
const MOST_STEPS = 2_000;
const MOST_NAME = 300;

/** Parts with a course over time, as charts that can be pinned: the figures that are shown. */
export function partPins(parts: readonly (PartMade | undefined)[]): PinChoice[] {
  return parts.flatMap((part): PinChoice[] => {
    if (part?.is !== "measured") return [];
    const { title, measured } = part;
    const { steps, rows, total, unit, filter, headings } = measured;
    const count = steps.length - 1;
    if (count < 2 || count > MOST_STEPS) return [];
    const rowsWithSteps = rows.filter((r) => r.steps.length === count).slice(0, MOST_SERIES);
    const series = (rowsWithSteps.length > 0 ? rowsWithSteps : [total]).map((row) => ({
      name: (row.labels.join(", ") || headings.join(", ") || title).slice(0, MOST_NAME).toWellFormed(),
      values: Array.from({ length: count }, (_, i) => {
        const value = row.steps[i];
        return value === null || value === undefined ? null : Number(value);
      }),
    }));
    return [
      {
        label: `the chart ${title}`,
        pin: {
          is: "chart",
          chart: {
            title: title.slice(0, 200).toWellFormed() || "Chart",
            unit: unit.slice(0, 40),
            filter: filter.length <= MAX_FILTER_LENGTH ? filter : "",
            steps: [...steps],
            series,
          },
        },
      },
    ];
  });
}
