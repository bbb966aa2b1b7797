import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { shapeText, standing } from "@halvik/core/shapes";
import pg from "pg";
import { nowUs } from "../kernel/clock.js";
import { connectionOf } from "../kernel/db/pool.js";
import { startTestInstance, type TestInstance } from "../testing/test-database.js";
import { TestStore } from "../testing/test-store.js";
import { applyRelearnt, relearnShapes } from "./relearn-shapes.js";
import { KeptShapes, mergedShapes, pruneShapes, shapeFacts, shapesFirstSeen } from "./shapes.js";

/** What two collectors learn at the same time, as the collector may. */
let instance: TestInstance;
let one: pg.Client;
let two: pg.Client;

const session = async () => {
  const client = new pg.Client(connectionOf(instance.config, instance.secrets, "collector"));
  await client.connect();
  return client;
};
beforeAll(async () => {
  instance = await startTestInstance();
  [one, two] = [await session(), await session()];
});
afterAll(async () => {
  await one?.end();
  await two?.end();
  await instance?.dispose();
});

const said = (app: string, text: string, timeUs = 1_000): RecordContent => ({
  ...emptyContent("syslog", timeUs, timeUs),
  app,
  text,
});
const SECOND = 1_000_000;
const lamps = (app: string, rooms: readonly string[]) =>
  rooms.map((room) => said(app, `the lamp in the ${room} went out again`));

test("a shape has a number before its records are written, and the same after a restart", async () => {
  const book = await KeptShapes.load(one, 0);
  const shape = book.learn(said("a", "started job 5", 77))!;
  book.learn(said("a", "started job 6", 44));
  expect(shape.id).toBe(0);
  expect(await book.save(one, SECOND)).toBeNull();
  expect(shape.id).toBeGreaterThan(0);
  const again = await KeptShapes.load(one, SECOND);
  expect(again.learn(said("a", "started job 7"))!.id).toBe(shape.id);
  const facts = (await shapeFacts(one, [shape.id])).get(shape.id)!;
  expect(shapeText(facts)).toBe("started job $1");
  // first seen when the earliest of its records was
  expect(facts.firstUs).toBe(44);
});

test("two collectors that learn the same give it the same number", async () => {
  const [a, b] = [await KeptShapes.load(one, 0), await KeptShapes.load(two, 0)];
  const [x, y] = [a.learn(said("b", "both say this 1"))!, b.learn(said("b", "both say this 2"))!];
  await Promise.all([a.save(one, SECOND), b.save(two, SECOND)]);
  // whoever was slower tells it again
  await a.save(one, SECOND);
  await b.save(two, SECOND);
  expect(x.id).toBeGreaterThan(0);
  expect(y.id).toBe(x.id);
});

test("what one finds to be a value, the other knows too; numbers given before lead to the one that is left", async () => {
  const [a, b] = [await KeptShapes.load(one, 0), await KeptShapes.load(two, 0)];
  const early = lamps("c", ["bridge", "galley", "hold"]).map((c) => a.learn(c)!);
  await a.save(one, 2 * SECOND);
  await b.refresh(two, 3 * SECOND);
  expect(lamps("c", ["bridge", "galley", "hold"]).map((c) => b.learn(c)!.id)).toEqual(early.map((s) => s.id));
  const late = lamps("c", ["ramp", "mess", "radio"]).map((c) => a.learn(c)!);
  await a.save(one, 4 * SECOND);
  const [root] = early;
  expect(new Set([...early, ...late].map((s) => standing(s).id))).toEqual(new Set([root!.id]));
  const merged = await mergedShapes(one);
  expect(merged.get(root!.id)).toEqual(early.slice(1).map((s) => s.id));
  await b.refresh(two, 5 * SECOND);
  expect(b.learn(lamps("c", ["sauna"])[0]!)!.id).toBe(root!.id);
  expect(b.learn(lamps("c", ["galley"])[0]!)!.id).toBe(root!.id);
});

test("both find the same at once: one is left, and none of their records is lost to it", async () => {
  const rooms = ["bridge", "galley", "hold", "ramp", "mess", "radio", "sauna"];
  const [a, b] = [await KeptShapes.load(one, 0), await KeptShapes.load(two, 0)];
  const [x, y] = [a, b].map((book) => lamps("d", rooms).map((c) => book.learn(c)!));
  await Promise.all([a.save(one, 6 * SECOND), b.save(two, 6 * SECOND)]);
  // whoever was slower tells it again
  await a.save(one, 6 * SECOND);
  await b.save(two, 6 * SECOND);
  const ids = [...x!, ...y!].map((s) => s.id);
  expect(ids.every((id) => id > 0)).toBe(true);
  const merged = await mergedShapes(one);
  const standingOf = (id: number) => [...merged].find(([, parts]) => parts.includes(id))?.[0] ?? id;
  expect(new Set(ids.map(standingOf)).size).toBe(1);
});

test("what is new in a window is what was never seen before it, whatever became part of what", async () => {
  const book = await KeptShapes.load(one, 0);
  const old = book.learn(said("e", "an old one 1", 10 * SECOND))!;
  const fresh = book.learn(said("e", "a new one 1", 20 * SECOND))!;
  await book.save(one, 30 * SECOND);
  const found = await shapesFirstSeen(one, { fromUs: 15 * SECOND, toUs: 25 * SECOND }, 10);
  expect(found).toEqual([fresh.id]);
  expect(found).not.toContain(old.id);
});

test("hostile words, and a value the database refuses: the record goes without a shape, the others have theirs", async () => {
  const book = await KeptShapes.load(one, 0);
  const odd = ["\u202e\ufffd '; drop table shape; --", "x".repeat(5_000), '{"a":"\\u0000"}', "🚢".repeat(2_000)];
  const shapes = odd.map((text) => book.learn(said("f", text))!);
  const plain = book.learn(said("f", "plain words 1"))!;
  expect(await book.save(one, 40 * SECOND)).toBeNull();
  expect([...shapes, plain].every((s) => s.id > 0)).toBe(true);
  const poison = book.learn(said("f\u0000", "nul in its name"))!;
  const innocent = book.learn(said("g", "innocent 1"))!;
  expect(await book.save(one, 41 * SECOND)).toBeInstanceOf(Error);
  expect(poison.id).toBe(0);
  // the next that is new is kept again, and what was refused is not tried for ever
  const after = book.learn(said("g", "after that 1"))!;
  expect(await book.save(one, 42 * SECOND)).toBeNull();
  expect(after.id).toBeGreaterThan(0);
  expect(innocent.id).toBeGreaterThan(0);
});

test("while the database is away nothing is forgotten", async () => {
  const gone = await session();
  const book = await KeptShapes.load(gone, 0);
  const shape = book.learn(said("h", "said meanwhile 1"))!;
  await gone.end();
  await expect(book.save(gone, 50 * SECOND)).rejects.toThrow();
  expect(await book.save(one, 51 * SECOND)).toBeNull();
  expect(shape.id).toBeGreaterThan(0);
});

test("whoever finds that shapes are one, and in whatever order they were met, the same one is left: none leads in a circle", async () => {
  const [first, second] = [await KeptShapes.load(one, 0), await KeptShapes.load(two, 0)];
  const rooms = ["bridge", "galley", "hold"];
  for (const c of lamps("q", rooms)) first.learn(c);
  await first.save(one, SECOND);
  // the other met them the other way round
  for (const c of lamps("q", [...rooms].reverse())) second.learn(c);
  await second.save(two, SECOND);
  for (const c of lamps("q", ["ramp", "mess", "radio"])) {
    first.learn(c);
    second.learn(c);
  }
  await Promise.all([first.save(one, 2 * SECOND), second.save(two, 2 * SECOND)]);
  await first.save(one, 2 * SECOND);
  await second.save(two, 2 * SECOND);
  const { rows } = await one.query<{ id: number; into: number | null }>(
    "select id, into_shape as into from shape where origin like '%\u0001q\u0001%' order by id",
  );
  expect(rows.filter((r) => r.into === null)).toEqual([{ id: rows[0]!.id, into: null }]);
  expect(rows.slice(1).every((r) => r.into === rows[0]!.id)).toBe(true);
});

test("what two did at the same moment is put in order: a chain leads to its end at once", async () => {
  const keeper = new pg.Client(connectionOf(instance.config, instance.secrets, "keeper"));
  await keeper.connect();
  const book = await KeptShapes.load(one, 0);
  const [a, b, c] = ["one of a", "two of b", "three of c"].map((text) => book.learn(said("r", text))!);
  await book.save(one, SECOND);
  await one.query("update shape set into_shape = $2 where id = $1", [c!.id, b!.id]);
  await one.query("update shape set into_shape = $2 where id = $1", [b!.id, a!.id]);
  await pruneShapes(keeper, 2 * SECOND);
  expect((await mergedShapes(one)).get(a!.id)).toEqual([b!.id, c!.id]);
  await keeper.end();
});

test("others are told of it now and then, however often it happens", async () => {
  const version = async () =>
    (await one.query<{ version: number }>("select version from shape_change")).rows[0]!.version;
  const book = await KeptShapes.load(one, 0);
  const before = await version();
  for (let i = 0; i < 5; i++) {
    for (const c of lamps(`s${"abcde"[i]}`, ["bridge", "galley", "hold", "ramp", "mess", "radio"])) {
      book.learn(c);
      await book.save(one, 100 * SECOND + i);
    }
  }
  expect((await version()) - before).toBe(1);
  await book.save(one, 120 * SECOND);
  expect((await version()) - before).toBe(2);
});

test("what became part of another goes when no record has it any more; what was known of it stays", async () => {
  const keeper = new pg.Client(connectionOf(instance.config, instance.secrets, "keeper"));
  await keeper.connect();
  const book = await KeptShapes.load(one, 0);
  const shapes = lamps("p", ["bridge", "galley", "hold"]).map((c, i) => book.learn({ ...c, timeUs: 500 - i })!);
  await book.save(one, SECOND);
  for (const c of lamps("p", ["ramp", "mess", "radio"])) book.learn(c);
  await book.save(one, SECOND);
  const ids = shapes.map((s) => s.id);
  const kept = async () => (await one.query("select from shape where id = any($1::int[])", [ids])).rowCount;
  expect(await kept()).toBe(3);
  // changed just now: records may still be on their way
  await pruneShapes(keeper, 2 * SECOND);
  expect(await kept()).toBe(3);
  await pruneShapes(keeper, nowUs());
  expect(await kept()).toBe(1);
  expect((await shapeFacts(one, [shapes[0]!.id])).get(shapes[0]!.id)!.firstUs).toBe(498);
  await keeper.end();
});

test("learnt anew: most go on as they were, what was one too many becomes part of another, the rest is new and said", async () => {
  const store = await TestStore.start();
  try {
    const sender = await store.addSender("lamps-1");
    const put = (texts: readonly string[]) =>
      store.put(texts.map((text) => ({ sender, content: said("lamps", text, nowUs() - SECOND) })));
    // few at a time, so that what is a value shows itself late
    for (const room of ["bridge", "galley", "hold"]) await put([`the lamp in the ${room} went out again`]);
    await put(["door 5 opened", "door 6 opened", "fuse 7 blown"]);
    const before = await store.client.query<{ id: number }>("select id from shape where into_shape is null");
    // as if they had been told apart worse: two sentences under one number
    const { rows } = await store.client.query<{ id: number; text: string }>(
      `select r.shape as id, r.message as text from segments.${await segmentOf(store)} r order by r.id`,
    );
    const door = rows.find((r) => r.text.startsWith("door"))!.id;
    await store.client.query(`update segments.${await segmentOf(store)} set shape = $1 where message like 'fuse%'`, [
      door,
    ]);
    const relearnt = await relearnShapes(store.client, 0);
    expect(relearnt).toMatchObject({ records: 6, notMapped: 1, merged: [] });
    expect(relearnt.kept).toHaveLength(4);
    expect(relearnt.fresh.map(shapeText)).toEqual(["fuse $1 blown"]);
    await applyRelearnt(store.client, relearnt, nowUs());
    const facts = await shapeFacts(
      store.client,
      before.rows.map((r) => r.id),
    );
    expect(shapeText(facts.get(door)!)).toBe("door $1 opened");
    // and again it changes nothing but what cannot be mapped
    const again = await relearnShapes(store.client, 0);
    expect(again.kept.map((k) => k.old).sort()).toEqual(relearnt.kept.map((k) => k.old).sort());
  } finally {
    await store.dispose();
  }
});

const segmentOf = async (store: TestStore): Promise<string> =>
  (await store.client.query<{ name: string }>("select name from segment order by name limit 1")).rows[0]!.name;
