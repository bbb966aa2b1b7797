import { ordeal } from "./ordeal.js";

/** The short form of the ordeal (docs/ordeal.md); the long one is bench/ordeal.ts. */
test("killed, stopped and starved: every record that was answered for is there once, every attack is one exact finding", async () => {
  const result = await ordeal(4, 6);
  expect(result.answered).toBeGreaterThan(200);
  expect(result).toMatchObject({ missing: 0, twice: 0, found: result.attacks, exact: result.attacks });
}, 300_000);
