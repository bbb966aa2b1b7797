import { notifyingOrdeal } from "./telling-ordeal.js";

/** The short form; the long one is bench/telling.ts. */
test("engine and notifier killed: every raise, worse and end reaches every channel, what comes again has its id", async () => {
  const result = await notifyingOrdeal(3, 6);
  expect(result).toMatchObject({ missing: [], confused: 0 });
  expect(result.happenings).toBeGreaterThan(2);
  expect(result.repeats).toBeLessThanOrEqual(6);
}, 300_000);
