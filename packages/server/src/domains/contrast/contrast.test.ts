import type { ContrastAnswer } from "@halvik/contract/contrast";
import { type EpochUs, formatUs, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import { indexNext } from "../../store/keeping/index-segments.js";
import { TestStore } from "../../testing/test-store.js";

/** An hour against the hour before, every count known: the same before and after the index of terms is made. */
let store: TestStore;
let [one, two] = [0, 0];
const END = Math.floor(nowUs() / US_PER_HOUR) * US_PER_HOUR;
const said = (app: string, text: string, timeUs: EpochUs, parts: Partial<RecordContent> = {}): RecordContent => ({
  ...emptyContent("syslog", timeUs, timeUs),
  app,
  text,
  ...parts,
});
/** So many within an hour. */
const times = (count: number, hoursBefore: number): EpochUs[] =>
  Array.from(
    { length: count },
    (_, i) => END - hoursBefore * US_PER_HOUR + Math.floor((i * 59 * US_PER_MINUTE) / count),
  );

beforeAll(async () => {
  store = await TestStore.start();
  one = await store.addSender("door-1");
  two = await store.addSender("door-2");
  const put = (
    sender: number,
    count: number,
    hours: number,
    app: string,
    text: string,
    parts: Partial<RecordContent> = {},
  ) =>
    store.put(
      times(count, hours).map((t, i) => ({ sender, content: said(app, text.replace("N", String(i)), t, parts) })),
    );
  // the hour before
  await put(one, 100, 2, "door", "door N opened");
  await put(one, 40, 2, "lamp", "lamp N is fine", { users: ["anna"] });
  await put(two, 50, 2, "pump", "pump ran N times", { src: "10.0.0.1", dst: "10.0.0.2" });
  // the hour
  await put(one, 104, 1, "door", "door N opened");
  await put(two, 60, 1, "door", "door N was broken open", { users: ["ORVANE\\bjorn"] });
  await put(two, 150, 1, "pump", "pump ran N times", { src: "10.0.0.1", dst: "10.0.0.3" });
});
afterAll(() => store?.dispose());

const hour = (before: number) => ({
  from: formatUs(END - before * US_PER_HOUR),
  to: formatUs(END - (before - 1) * US_PER_HOUR),
});
const ask = async (query: Record<string, string>): Promise<ContrastAnswer> => {
  const { status, body } = await store.api.get(`/contrast?${new URLSearchParams({ ...hour(1), ...query })}`);
  expect([status, body.error]).toEqual([200, undefined]);
  return body;
};
const before = `${hour(2).from}/${hour(2).to}`;
const brief = ({ differences }: ContrastAnswer, by: string) =>
  differences.filter((d) => d.by === by).map((d) => [d.change, d.label, d.a, d.b]);

describe.each<[string, () => Promise<unknown>]>([
  ["before terms are made", async () => undefined],
  [
    "when they are",
    async () => {
      await store.client.query("update segment set state = 'closed'");
      while (await indexNext(store.keeper, 400)) {
        // until nothing is left
      }
    },
  ],
])("%s", (_when, prepare) => {
  beforeAll(prepare);

  test("by what it says: what came, went, rose; what is as ever is not told", async () => {
    const answer = await ask({ against: before, by: "shape" });
    expect(brief(answer, "shape")).toEqual([
      ["appeared", "door $1 was broken open", 60, 0],
      ["disappeared", "lamp $1 is fine", 0, 40],
      ["rose", "pump ran $1 times", 150, 50],
    ]);
    expect(answer).toMatchObject({
      compared: 4,
      others: 0,
      isCounted: true,
      a: { records: 314, seconds: 3_600 },
      b: { records: 190 },
    });
    const pump = answer.differences[2]!;
    // 2 (150 ln 1.5 + 50 ln 0.5), by hand
    expect(pump.surprise).toBeCloseTo(2 * (150 * Math.log(1.5) + 50 * Math.log(0.5)), 6);
    expect(pump.ratio).toBeCloseTo(3, 9);
  });

  test("by every field, pairs too, each with a filter that finds just those records", async () => {
    const answer = await ask({ against: before });
    expect(brief(answer, "pair")).toEqual([
      ["appeared", "10.0.0.1 to 10.0.0.3", 150, 0],
      ["disappeared", "10.0.0.1 to 10.0.0.2", 0, 50],
    ]);
    expect(brief(answer, "user")).toEqual([
      ["appeared", "orvane\\bjorn", 60, 0],
      ["disappeared", "anna", 0, 40],
    ]);
    expect(brief(answer, "sender")).toEqual([["rose", "door-2", 210, 50]]);
    for (const { part, a, b } of answer.differences) {
      const counted = async (window: { from: string; to: string }) =>
        (
          await store.api.get(
            `/records/histogram?${new URLSearchParams({ ...window, filter: part, buckets: "1", whole: "window" })}`,
          )
        ).body.total;
      expect([part, await counted(hour(1)), await counted(hour(2))]).toEqual([part, a, b]);
    }
  });

  test("within a filter; against several windows together; another filter of the same window", async () => {
    expect(brief(await ask({ against: before, filter: "app is door", by: "shape" }), "shape")).toEqual([
      ["appeared", "door $1 was broken open", 60, 0],
    ]);
    const half = END - US_PER_HOUR - 30 * US_PER_MINUTE;
    const quiet = `${formatUs(half)}/${hour(2).to}`;
    const inHalf = [100, 40, 50].flatMap((n) => times(n, 2)).filter((t) => t >= half).length;
    const several = await ask({ against: `${before},${quiet}`, by: "shape" });
    expect(several.b).toEqual({ records: 190 + inHalf, seconds: 5_400 });
    const other = await ask({ filter: "sender is door-2", other: "sender is door-1", by: "app", per: "records" });
    expect(brief(other, "app").sort()).toEqual([
      ["appeared", "pump", 150, 0],
      ["fell", "door", 60, 104],
    ]);
  });

  test("by share of all: what is the same part of all is no change", async () => {
    const answer = await ask({ against: before, by: "shape", per: "records" });
    expect(brief(answer, "shape").map(([change, label]) => [change, label])).toContainEqual(["fell", "door $1 opened"]);
  });
});

test("an hour against itself: nothing", async () => {
  expect((await ask({ against: `${hour(1).from}/${hour(1).to}` })).differences).toEqual([]);
});

test("a time of which nothing is kept is no time in which nothing happened", async () => {
  const never = await ask({ against: `${hour(9).from}/${hour(9).to}` });
  expect(never).toMatchObject({ differences: [], against: [], keptFrom: hour(2).from });
  // of one that begins before records do, what is kept of it counts
  const half = await ask({ against: `${hour(3).from}/${hour(2).to}`, by: "shape" });
  expect(half.against).toEqual([hour(2)]);
  expect(half.b.seconds).toBe(3_600);
  expect(half.keptFrom).toBe(hour(2).from);
});
