import { US_PER_DAY } from "@halvik/core/base/time";
import { eachSighted, type HalvikRecord, hashesIn, SIGHTED, type Sighted } from "@halvik/core/model/record";
import { parseFilter, quoteIfNeeded } from "@halvik/core/query/filter";
import fc from "fast-check";
import { arbitraryRecord, TEST_DIRECTORY } from "../../../core/src/testing/filters.js";
import { nowUs } from "../kernel/clock.js";
import { TestStore } from "../testing/test-store.js";
import { BatchWriter } from "./batches.js";
import { indexNext } from "./keeping/index-segments.js";
import { closeSegment, dropSegment } from "./segment-life.js";
import { pruneSightings, sightingOf } from "./sightings.js";

/** First and last times of values against a scan of all records there ever were, by hand: while they are indexed, and after a day was dropped. */
let store: TestStore;
const all: HalvikRecord[] = [];
const DAY = Math.floor(nowUs() / US_PER_DAY) * US_PER_DAY;

const fill = async (daysAgo: number, seed: number, into = store.writer) => {
  const records = fc
    .sample(arbitraryRecord, { seed, numRuns: 120 })
    .filter((r) => r.flow === null)
    .map((r, i) => ({ ...r, timeUs: DAY - daysAgo * US_PER_DAY + i * 1_000_000 }));
  await store.put(
    records.map((content) => ({ sender: 1, content })),
    into,
  );
  all.push(...records);
};
beforeAll(async () => {
  store = await TestStore.start();
  await fill(2, 31);
});
afterAll(() => store?.dispose());

/** Every value of the records by its field, with the times at which it was seen. */
const byHand = () => {
  const found = new Map<string, number[]>();
  for (const r of all)
    eachSighted(r, (of, value) => {
      const key = `${of} ${value}`;
      found.set(key, [...(found.get(key) ?? []), r.timeUs]);
    });
  return found;
};
const seen = (of: Sighted, value: string) => {
  const field = of === "hash" ? "text has" : `${of} ${of === "user" || of === "host" ? "exactly" : "is"}`;
  const parsed = parseFilter(`${field} ${quoteIfNeeded(value)}`, { zone: "UTC" });
  if (!parsed.ok) throw new Error(parsed.error.message);
  // spellings of one name are counted together: here each by itself
  const plain = Object.assign(Object.create(Object.getPrototypeOf(TEST_DIRECTORY)), TEST_DIRECTORY, {
    ours: { spellings: (_: string, v: string) => [v] },
  });
  return sightingOf(store.client, of, value, parsed.filter, plain, nowUs());
};
const expectAll = async () => {
  for (const [key, times] of byHand()) {
    const at = key.indexOf(" ");
    const of = SIGHTED[Number(key.slice(0, at))]!;
    const value = key.slice(at + 1);
    const { firstUs, lastUs, records } = await seen(of, value);
    expect([key, firstUs, lastUs, records]).toEqual([key, Math.min(...times), Math.max(...times), times.length]);
  }
};

test("as a scan finds them: before anything is indexed, in between, after a day was dropped, and with what came since", async () => {
  await expectAll();
  await indexNext(store.keeper, 30);
  await expectAll();
  const { rows } = await store.client.query<{ name: string }>("select name from segment");
  for (const { name } of rows) await closeSegment(store.client, name);
  while (await indexNext(store.keeper, 30)) {
    // until nothing is left
  }
  for (const { name } of rows) await dropSegment(store.client, name, nowUs());
  await expectAll();
  // one that does not write to what is gone
  await fill(0, 32, new BatchWriter(store.client, store.writer.collector, null));
  await expectAll();
  expect((await seen("host", "never-heard-of")).firstUs).toBeNull();
});

test("of too many, those seen least recently go; how many, and up to when, is said", async () => {
  await store.client.query("delete from sighting");
  const put = (value: string, last: number) =>
    store.client.query("insert into sighting values (0, $1, 1, $2, 1)", [value, last]);
  for (let i = 1; i <= 10; i++) await put(`h${i}`, i);
  await pruneSightings(store.keeper, 4);
  const left = await store.client.query<{ value: string }>("select value from sighting order by last_us");
  expect(left.rows.map((r) => r.value)).toEqual(["h7", "h8", "h9", "h10"]);
  expect(await seen("host", "h1")).toMatchObject({ firstUs: null, evicted: 6, evictedBeforeUs: 6 });
});

test.each([
  ["SHA256", "A".repeat(64), ["a".repeat(64)]],
  ["Hashes", `SHA256=${"b".repeat(64)},MD5=${"c".repeat(32)}`, ["b".repeat(64), "c".repeat(32)]],
  ["note", `x ${"b".repeat(64)}`, []],
  ["Hashes", "none", []],
])("hashes of files in %s", (name, value, want) => {
  expect(hashesIn(name, value)).toEqual(want);
});
