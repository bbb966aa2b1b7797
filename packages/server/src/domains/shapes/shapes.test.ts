import type { ShapeLine, ShapesAnswer } from "@halvik/contract/shapes";
import { type EpochUs, formatUs, US_PER_HOUR, US_PER_MINUTE } from "@halvik/core/base/time";
import { emptyContent, type RecordContent, type Severity } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import { indexNext } from "../../store/keeping/index-segments.js";
import { TestStore } from "../../testing/test-store.js";

/** What a window says, by shapes: the same before, between and after the index of terms is made, and as counted by hand. */
let store: TestStore;
let [one, two] = [0, 0];
const END = Math.floor(nowUs() / US_PER_HOUR) * US_PER_HOUR;
const said = (app: string, text: string, timeUs: EpochUs, severity: Severity = 6): RecordContent => ({
  ...emptyContent("syslog", timeUs, timeUs),
  app,
  text,
  severity,
});
const at = (minutesBefore: number): EpochUs => END - minutesBefore * US_PER_MINUTE;

beforeAll(async () => {
  store = await TestStore.start();
  one = await store.addSender("door-1");
  two = await store.addSender("door-2");
  const flow = { startUs: null } as unknown as RecordContent["flow"];
  await store.put([
    // before both: the hour before is kept whole
    { sender: one, content: said("gate", "gate 1 opened", at(130)) },
    // the hour before
    ...[90, 80, 70].map((m) => ({ sender: one, content: said("door", `door ${m} opened`, at(m)) })),
    { sender: one, content: said("door", "battery at 5 %", at(65)) },
  ]);
  await store.put([
    // the hour that is asked for
    ...[55, 50, 45, 5].map((m, i) => ({
      sender: i < 3 ? one : two,
      content: said("door", `door ${m} opened`, at(m), i === 1 ? 3 : 6),
    })),
    { sender: two, content: said("door", "door 7 was broken open by anna", at(4), 2) },
    { sender: two, content: said("lamp", "lamp 9 went out", at(3)) },
    {
      sender: two,
      content: { ...said("", "", at(2)), kind: "flow", flow: { ...emptyFlow(), ...flow } } as RecordContent,
    },
  ]);
});
afterAll(() => store?.dispose());

const emptyFlow = () => ({ samplingRate: 1, domain: 0, sequence: 0 });
const WINDOW = `from=${formatUs(END - US_PER_HOUR)}&to=${formatUs(END)}`;
const ask = async (query = ""): Promise<ShapesAnswer> => {
  const { status, body } = await store.api.get(`/records/shapes?${WINDOW}${query}`);
  expect([status, body.error]).toEqual([200, undefined]);
  return body;
};
const brief = ({ shapes }: ShapesAnswer) =>
  shapes.map((l: ShapeLine) => [l.shape.text, l.count, l.before, l.senders, l.worst, l.isNew]);

const WANTED = [
  ["door $1 opened", 4, 3, 2, "error", false],
  ["door $1 was broken open by anna", 1, 0, 1, "critical", true],
  ["lamp $1 went out", 1, 0, 1, "informational", true],
];

describe.each<[string, () => Promise<unknown>]>([
  ["before terms are made", async () => undefined],
  ["while a part of them is", () => indexNext(store.keeper, 3)],
  [
    "when all are",
    async () => {
      await store.client.query("update segment set state = 'closed'");
      while (await indexNext(store.keeper, 4)) {
        // until nothing is left
      }
    },
  ],
])("%s", (_when, prepare) => {
  beforeAll(prepare);

  test("each with its count, the window before, its senders and its worst", async () => {
    const answer = await ask();
    expect(brief(answer).sort()).toEqual([...WANTED].sort());
    expect(answer).toMatchObject({ records: 6, without: 0, exact: true, others: 0 });
    const [door] = answer.shapes;
    expect([door!.first, door!.last]).toEqual([formatUs(at(55)), formatUs(at(5))]);
    expect(door!.example?.text).toBe("door 5 opened");
    expect(door!.course.reduce((a, b) => a + b)).toBe(4);
  });

  test("over steps", async () => {
    const { shapes } = await ask("&steps=6");
    expect(shapes[0]!.course).toEqual([1, 2, 0, 0, 0, 1]);
  });

  test("within a filter, and by number", async () => {
    expect(
      brief(await ask("&filter=severity%20at%20least%20error"))
        .map((b) => b.slice(0, 2))
        .sort(),
    ).toEqual([
      ["door $1 opened", 1],
      ["door $1 was broken open by anna", 1],
    ]);
    const { shapes } = await ask();
    const { body } = await store.api.get(`/records?${WINDOW}&filter=shape%20is%20${shapes[0]!.shape.id}`);
    expect(body.records.map((r: { text: string }) => r.text)).toEqual([5, 45, 50, 55].map((n) => `door ${n} opened`));
    expect(body.records[0].shape).toBe(shapes[0]!.shape.id);
  });

  test("what is new in the window: never before it", async () => {
    expect(
      brief(await ask("&filter=shape%20new"))
        .map((b) => b[0])
        .sort(),
    ).toEqual(["door $1 was broken open by anna", "lamp $1 went out"]);
    expect(brief(await ask("&filter=not%20shape%20new")).map((b) => b[0])).toEqual(["door $1 opened"]);
  });

  test("in every order, and no more than are asked for", async () => {
    const first = async (order: string) => (await ask(`&order=${order}`)).shapes[0]!.shape.text;
    expect(await first("worst")).toBe("door $1 was broken open by anna");
    expect(await first("newest")).toBe("lamp $1 went out");
    expect(await first("fallen")).toBe("door $1 opened");
    expect(await first("rarest")).not.toBe("door $1 opened");
    expect(await ask("&limit=1")).toMatchObject({ others: 2, othersCount: 2 });
  });

  test("the values of a field are those of shapes too, one that became another counted with it", async () => {
    const { body } = await store.api.get(`/records/values?${WINDOW}&field=shape`);
    expect(body.values.map((v: { count: number }) => v.count)).toEqual([4, 1, 1]);
  });

  test("what stands in its places", async () => {
    const { shapes } = await ask();
    const { body } = await store.api.get(`/shapes/${shapes[0]!.shape.id}/values?${WINDOW}`);
    expect(body).toMatchObject({ records: 4, complete: true });
    expect(body.values).toHaveLength(1);
    expect(body.values[0]).toMatchObject({
      number: 1,
      type: "number",
      distinct: 4,
      range: { least: 5, median: 47.5, most: 55 },
    });
    const { filter } = body.values[0].top[0];
    expect((await store.api.get(`/records?${WINDOW}&filter=${encodeURIComponent(filter)}`)).body.records).toHaveLength(
      1,
    );
  });
});

test("what stands in a place is asked of a shape that is named beside it, as text and as a number", async () => {
  const [door] = (await ask()).shapes;
  const { id } = door!.shape;
  const found = async (filter: string) => {
    const { status, body } = await store.api.get(`/records?${WINDOW}&${new URLSearchParams({ filter })}`);
    return status === 200 ? body.records.map((r: { text: string }) => r.text) : body.error.code;
  };
  expect(await found(`shape is ${id} and $1 is 5`)).toEqual(["door 5 opened"]);
  expect(await found(`shape is ${id} and $1 over 46`)).toEqual(["door 50 opened", "door 55 opened"]);
  expect(await found(`shape is ${id} and not $1 is 5 and not $1 is 45`)).toEqual(["door 50 opened", "door 55 opened"]);
  expect(await found(`shape is ${id} and ($1 is 5 or $1 is 45)`)).toEqual(["door 5 opened", "door 45 opened"]);
  // one that it has not
  expect(await found(`shape is ${id} and $2 present`)).toEqual([]);
  expect(await found("$1 is 5")).toBe("BAD_FILTER");
  expect(await found("shape is 999999 and $1 is 5")).toBe("BAD_FILTER");
  const { body } = await store.api.get(
    `/records/histogram?${WINDOW}&buckets=1&whole=window&${new URLSearchParams({ filter: `shape is ${id} and $1 over 46` })}`,
  );
  expect([body.total, body.exact]).toEqual([2, true]);
});

test("what people call it is kept, and a phrase of it gives its category to what comes", async () => {
  const { shapes } = await ask("&order=worst");
  const { id } = shapes[0]!.shape;
  expect((await store.api.post(`/shapes/${id}`, { name: "x" })).status).toBe(404);
  const named = await store.api.patch(`/shapes/${id}`, {
    name: "Break-in",
    meaning: "somebody came in by force",
    category: "policy",
    asPhrase: true,
  });
  expect([named.status, named.body.error]).toEqual([200, undefined]);
  expect(named.body.shape).toMatchObject({ name: "Break-in", category: "policy", namedBy: "token actor" });
  const meanings = await store.client.query("select code, category from own_meaning where kind = 'syslog'");
  expect(meanings.rows).toEqual([{ code: "door: was broken open by anna", category: "policy" }]);
  const audit = await store.client.query("select what from audit where what = 'shape named'");
  expect(audit.rowCount).toBe(1);
});

test("of a time before that is not kept whole, none before is not said", async () => {
  const early = `from=${formatUs(END - 2 * US_PER_HOUR)}&to=${formatUs(END - US_PER_HOUR)}`;
  const { body } = await store.api.get(`/records/shapes?${early}`);
  expect(body.shapes.map((l: ShapeLine) => l.before)).toEqual(body.shapes.map(() => undefined));
});

test("of one that is not there, nothing", async () => {
  expect((await store.api.get("/shapes/999999")).status).toBe(404);
  expect((await store.api.get("/shapes/x")).status).toBe(400);
});
