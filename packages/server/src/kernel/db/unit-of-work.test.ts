import { startTestInstance, type TestInstance } from "../../testing/test-database.js";
import { createModels, type Models, SenderModel } from "./models.js";
import { connect, connectionOf, savepoint } from "./pool.js";
import { inAct, inPlainAct } from "./unit-of-work.js";

let instance: TestInstance;
let models: Models;
beforeAll(async () => {
  instance = await startTestInstance();
  models = createModels(instance.config, instance.secrets, "web", 5_000);
});
afterAll(async () => {
  await models?.close();
  await instance?.dispose();
});

const audited = (what: string) =>
  models
    .query("select who, what from audit where what = $1", { bind: [what] })
    .then(([rows]) => rows as { who: string; what: string }[]);

test("what a model changes, hand-written SQL sees, and both stand when it is done", async () => {
  const seen = await inAct(models, "k.lind", async (act) => {
    await SenderModel.create({ name: "quay-1", state: "admitted" }, act.options);
    await act.audit("sender made", { name: "quay-1" });
    return (await act.db.query<{ n: number }>("select count(*)::int as n from sender where name = 'quay-1'")).rows[0]!
      .n;
  });
  expect(seen).toBe(1);
  expect(await SenderModel.count({ where: { name: "quay-1" } })).toBe(1);
  expect(await audited("sender made")).toEqual([{ who: "k.lind", what: "sender made" }]);
});

test.each([
  ["an error of ours", async () => Promise.reject(new Error("no"))],
  ["a statement the database refuses", (db: { query(sql: string): Promise<unknown> }) => db.query("select 1 / 0")],
])("after %s nothing of it stands, neither the model's part nor the audit", async (_what, fails) => {
  await expect(
    inAct(models, "k.lind", async (act) => {
      await SenderModel.create({ name: "quay-2", state: "admitted" }, act.options);
      await act.audit("sender half made");
      await fails(act.db);
    }),
  ).rejects.toThrow();
  expect(await SenderModel.count({ where: { name: "quay-2" } })).toBe(0);
  expect(await audited("sender half made")).toEqual([]);
});

test("counts beyond 32 bits come as numbers by either way", async () => {
  const times = await inAct(models, "k.lind", async (act) => [
    (await act.db.query<{ us: number }>("select 1795600000000000::bigint as us")).rows[0]!.us,
    ((await models.query("select 1795600000000000::bigint as us", act.options))[0] as { us: number }[])[0]!.us,
  ]);
  expect(times).toEqual([1_795_600_000_000_000, 1_795_600_000_000_000]);
});

test("a statement of the models has its bound too", async () => {
  const [rows] = await models.query("select current_setting('statement_timeout') as bound");
  expect(rows).toEqual([{ bound: "5s" }]);
});

test("part of a part that fails is undone by itself; the part around it still is undone as a whole", async () => {
  const goesOn = () => true;
  await inAct(models, "k.lind", async (act) => {
    await savepoint(
      act.db,
      async () => {
        await act.audit("outer, before");
        await savepoint(
          act.db,
          async () => {
            await act.audit("inner");
            await act.db.query("select 1 / 0");
          },
          goesOn,
        );
        await act.audit("outer, after");
        await act.db.query("select 1 / 0");
      },
      goesOn,
    );
    await act.audit("around");
  });
  for (const undone of ["outer, before", "inner", "outer, after"]) expect(await audited(undone)).toEqual([]);
  expect(await audited("around")).toHaveLength(1);
});

test("without models the same holds: all of it stands, or nothing", async () => {
  const db = await connect(connectionOf(instance.config, instance.secrets, "owner"));
  try {
    expect(
      await inPlainAct(db, "k.lind", async (act) => {
        await act.audit("plainly done");
        return act.who;
      }),
    ).toBe("k.lind");
    expect(await audited("plainly done")).toEqual([{ who: "k.lind", what: "plainly done" }]);
    await expect(
      inPlainAct(db, "k.lind", async (act) => {
        await act.audit("plainly begun");
        await act.db.query("select 1 / 0");
      }),
    ).rejects.toThrow("division by zero");
    expect(await audited("plainly begun")).toEqual([]);
    // what failed leaves nothing open behind it
    await inPlainAct(db, "k.lind", (act) => act.audit("plainly done after"));
    expect(await audited("plainly done after")).toHaveLength(1);
  } finally {
    await db.end();
  }
});
