import { joinStories, pairsOf } from "../../testing/stories.js";

/** The figure itself is measured on fresh seeds by `bench/joining.ts`; here that joining has not come apart. */
test("stories that go on at the same time and share users, hosts and attackers are told apart and kept together", () => {
  const sum = { different: 0, merged: 0, same: 0, split: 0 };
  for (const seed of [1, 2, 3]) {
    const pairs = pairsOf(joinStories(seed).findings);
    for (const key of ["different", "merged", "same", "split"] as const) sum[key] += pairs[key];
  }
  expect(sum.different).toBeGreaterThan(500);
  expect(sum.same).toBeGreaterThan(50);
  expect(sum.merged / sum.different).toBeLessThan(0.06);
  expect(sum.split / sum.same).toBeLessThan(0.08);
});
