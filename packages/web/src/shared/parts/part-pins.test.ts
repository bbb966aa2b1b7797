import type { PartMade } from "@halvik/contract/reports";
import { Chart } from "@halvik/core/papers";
import { partPins } from "./part-pins";

const steps = ["2026-11-26T00:00:00Z", "2026-11-26T01:00:00Z", "2026-11-26T02:00:00Z"];
const row = (labels: string[], values: (number | null)[]) => ({
  labels,
  value: 3,
  records: 3,
  exact: true,
  steps: values,
  filter: null,
});
const part = (measured: object): PartMade =>
  ({
    is: "measured",
    as: "course",
    title: "Errors",
    measured: {
      steps,
      rows: [],
      total: row([], [1, null]),
      unit: "records",
      filter: "severity is error",
      headings: [],
      ...measured,
    },
  }) as unknown as PartMade;

test("what has a course becomes a chart that can be pinned; what is not known is no 0", () => {
  const [choice] = partPins([part({}), undefined]);
  expect(choice).toMatchObject({
    label: "the chart Errors",
    pin: { is: "chart", chart: { unit: "records", steps, series: [{ name: "Errors", values: [1, null] }] } },
  });
  if (choice?.pin.is !== "chart") throw new Error("no chart");
  expect(Chart.safeParse(choice.pin.chart).success).toBe(true);
});

test("groups are series of their own; a figure without a course, and what is too long to be said, are left out", () => {
  const [choice] = partPins([
    part({ rows: [row(["vpn-1"], [1, 0]), row(["dc-1", "ssh"], [0, 2])], filter: "x".repeat(9_000) }),
  ]);
  expect(choice?.pin).toMatchObject({ chart: { filter: "", series: [{ name: "vpn-1" }, { name: "dc-1, ssh" }] } });
  expect(partPins([part({ steps: steps.slice(0, 2) }), { is: "text", markdown: "x" } as PartMade])).toEqual([]);
});
