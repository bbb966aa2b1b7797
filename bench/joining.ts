import { joinStories, pairsOf } from "../packages/core/src/testing/stories.js";

/** Simultaneous stories that share users, hosts and attackers by chance: which of their findings come together. */
const runs = Number(process.argv[2] ?? 20);
const seeds = process.argv.slice(3).map(Number);
const sum = { different: 0, merged: 0, same: 0, split: 0 };
for (let i = 0; i < runs; i++) {
  const seed = seeds[i] ?? Math.floor(Math.random() * 1e9);
  const { findings, kinds } = joinStories(seed);
  const pairs = pairsOf(findings);
  for (const key of ["different", "merged", "same", "split"] as const) sum[key] += pairs[key];
  console.log(
    `seed ${seed}: ${kinds.length} stories, ${findings.length} findings (${findings.filter((f) => f.story === null).length} of none), ${pairs.merged} of ${pairs.different} pairs merged, ${pairs.split} of ${pairs.same} split`,
  );
  if (process.env.DETAIL)
    for (const f of findings)
      console.log(
        `   ${f.story ?? "-"} ${f.story === null ? "" : kinds[f.story]} · ${f.rule} → ${f.group} ${f.reason}`,
      );
}
const part = (n: number, of: number) => `${((100 * n) / Math.max(1, of)).toFixed(2)} %`;
console.log(
  `of different stories merged: ${sum.merged} of ${sum.different} (${part(sum.merged, sum.different)}); of one story split: ${sum.split} of ${sum.same} (${part(sum.split, sum.same)})`,
);
