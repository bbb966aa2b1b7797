import { ShapeBook, standing } from "@halvik/core/shapes";
import { emptyContent } from "../packages/core/src/model/record/index.js";
import { groupingAccuracy, labelledMessages } from "../packages/core/src/testing/families.js";

/**
 * What learning shapes costs, and how well it tells them apart: twelve labelled families, and a store full of shapes. Usage: BENCH_NODE_ARGS=--expose-gc node scripts/bench.mjs shapes [SEED]
 */
const seed = Number(process.argv[2] ?? Date.now() % 100_000);
const content = (app: string, text: string) => ({ ...emptyContent("syslog", 0, 0), app, text });
const heap = () => {
  globalThis.gc?.();
  return process.memoryUsage().heapUsed / 2 ** 20;
};

const letters = (n: number) => {
  let out = "";
  for (let left = n + 1; left > 0; left = Math.floor(left / 20)) out += "bcdfghjklmnpqrstvwxz"[left % 20];
  return out;
};
const before = heap();
const book = new ShapeBook();
for (let i = 0; i < 200_000; i++)
  book.learn(
    // of an event of its own each, so that none becomes one with another
    {
      ...content(
        `prog${letters(i % 4_000)}`,
        `The ${letters(i)} of ${letters(i * 7)} on port 22 was ${letters(i * 3)} by ${letters(i * 11)} from 10.0.0.1 after 12 tries`,
      ),
      event: letters(i),
    },
  );
console.log(`${book.size} shapes: ${(heap() - before).toFixed(0)} MB of memory (aim 150 for 200,000)`);

for (const s of [seed, seed + 1, seed + 2]) {
  const messages = labelledMessages(200_000, s);
  const contents = messages.map(({ app, text }) => content(app, text));
  const book = new ShapeBook();
  const startedMs = performance.now();
  const shapes = contents.map((c) => book.learn(c)!);
  const tookUs = ((performance.now() - startedMs) * 1_000) / contents.length;
  const accuracy = groupingAccuracy(
    messages.map((m) => m.label),
    shapes.map(standing),
  );
  console.log(
    `seed ${s}: ${new Set(messages.map((m) => m.label)).size} sentences, ${book.size} shapes, grouping accuracy ${accuracy.toFixed(4)}, ${tookUs.toFixed(2)} µs a message (aim 6)`,
  );
}

const flood = Array.from({ length: 50_000 }, (_, i) =>
  content("flood", `${letters(i * 13)} ${letters(i * 17)} ${letters(i * 19)} ${letters(i * 23)}`),
);
const startedMs = performance.now();
for (const c of flood) book.learn(c);
console.log(
  `random words of one program: ${(((performance.now() - startedMs) * 1_000) / flood.length).toFixed(2)} µs a message`,
);
