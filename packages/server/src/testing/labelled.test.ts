import { labelledHistory } from "./labelled.js";

/** The demo's history with its stories told apart from ordinary noise; bench/labelled.ts does the same with fresh seeds. */
test("every planted story is found, and few findings lie outside of them", () => {
  const { planted, missed, outside, findings } = labelledHistory(7, 0.25, 35);
  expect(planted).toBeGreaterThan(6);
  expect(missed).toEqual([]);
  expect(outside.length).toBeLessThanOrEqual(findings / 4);
});
