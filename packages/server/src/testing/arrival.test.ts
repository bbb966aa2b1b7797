import { createSocket } from "node:dgram";
import { once } from "node:events";
import { connect } from "node:net";
import type { ArrivalPreview, ArrivalRuleList } from "@halvik/contract/arrival";
import type { SenderList } from "@halvik/contract/senders";
import pg from "pg";
import { connectionOf } from "../kernel/db/pool.js";
import { RoleProcess, runCommand } from "./roles.js";
import { TestApi } from "./test-api.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** Rules of arrival as the collector runs them: real packets, the real store, asked by the API. */
let instance: TestInstance;
let collector: RoleProcess;
let api: TestApi;
let owner: pg.Client;
let n = 0;
/** The severity of <13> as syslog says it. */
const ORIGINAL = "notice";

beforeAll(async () => {
  instance = await startTestInstance();
  await runCommand(instance.env, ["senders", "import", "-"], "name,addresses\nsrv-1,127.79.0.1\n");
  collector = await RoleProcess.start(instance, "collector");
  api = await TestApi.start(instance);
  owner = new pg.Client(connectionOf(instance.config, instance.secrets, "owner"));
  await owner.connect();
}, 240_000);
afterEach(() => clear());
afterAll(async () => {
  await collector?.stop();
  await owner?.end();
  await api?.close();
  await instance?.dispose();
});

const rule = (more: object) => ({ name: `rule ${++n}`, filter: "app is cron", does: "drop", ...more });
const add = async (more: object) => {
  const { status, body } = await api.post("/arrival-rules", rule(more));
  return { status, body: body as ArrivalRuleList & { error?: { message: string; field?: string } } };
};
const list = async () => (await api.get("/arrival-rules")).body as ArrivalRuleList;
async function clear(): Promise<void> {
  for (const r of (await list()).rules) await api.delete(`/arrival-rules/${r.id}`);
}
async function send(...lines: readonly string[]): Promise<void> {
  const socket = createSocket("udp4");
  await new Promise<void>((done) => socket.bind(0, "127.79.0.1", done));
  for (const line of lines)
    await new Promise((done) => socket.send(line, instance.config.HALVIK_SYSLOG_UDP_PORT, "127.0.0.1", done));
  socket.close();
}
const stored = async (filter: string) =>
  (await api.get(`/records?filter=${encodeURIComponent(filter)}&limit=500`)).body.records as {
    text: string;
    severity: string | number;
    marks: string[];
    data: [string, string][];
    category: string;
  }[];
/** A rule holds within a second: lines are sent until one of them says so. */
const until = (what: string, word: string, line: string, holds: (found: readonly unknown[]) => boolean) =>
  eventually(
    what,
    async () => {
      await send(line);
      await new Promise((r) => setTimeout(r, 400));
      return stored(`text has "${word}"`);
    },
    holds,
  );

test("dropped is counted, with samples, in the hour and on every search of it; what is not met is stored", async () => {
  await add({ filter: "app is cron and severity is debug" });
  const before = await eventually(
    "it drops",
    async () => {
      await send("<15>cron[1]: noise", "<13>cron[1]: no noise");
      return (await list()).rules[0]!;
    },
    (r) => r.dropped > 0,
  );
  expect(before.samples[0]).toMatchObject({ sender: "srv-1", text: "noise" });
  await send(
    ...Array.from({ length: 50 }, (_, i) => `<15>cron[1]: dropme ${i}`),
    "<15>cron[1]: a\u0000b \ud800 \u202e",
    "<13>sshd[1]: keepme",
  );
  await eventually(
    "the other",
    () => stored('text has "keepme"'),
    (r) => r.length === 1,
  );
  expect(await stored('text has "dropme"')).toEqual([]);
  const after = await eventually("all counted", list, ({ rules }) => rules[0]!.dropped >= before.dropped + 51);
  expect(after.rules[0]!.droppedBytes).toBeGreaterThan(50 * 10);
  const from = encodeURIComponent(new Date(Date.now() - 600_000).toISOString());
  const { body } = await api.get(`/records/coverage?from=${from}`);
  expect(body.droppedByRules).toBe(after.rules[0]!.dropped);
  // it was heard all the same
  await eventually(
    "heard",
    async () => ((await api.get("/senders")).body as SenderList).senders.find((s) => s.name === "srv-1")!,
    (s) => s.lastHeard !== null,
  );
  await clear();
  await until("stored again", "afterwards", "<15>cron[1]: afterwards", (r) => r.length > 0);
  // what it dropped stays counted
  expect((await api.get(`/records/coverage?from=${from}`)).body.droppedByRules).toBeGreaterThanOrEqual(51);
});

test("marks add up in their order, keep ends it; days lie in segments of their own; the severity that came stays beside", async () => {
  await add({ filter: "app is app-1", does: "mark", severity: { to: 3 }, tag: "watch", category: "service" });
  await add({ filter: "severity is error and app is app-1", does: "keep", keepDays: 7, expected: true });
  await add({ filter: "app is app-1", does: "drop" });
  const found = await until(
    "marked",
    "marked-one",
    "<13>app-1: marked-one",
    (r) => r.length > 0 && JSON.stringify(r).includes("expected"),
  );
  expect(found[0]).toMatchObject({ category: "service" });
  expect(JSON.stringify(found[0])).toContain('["tag","watch"]');
  expect((await stored(`level is ${ORIGINAL} and data tag is watch and mark is expected`)).length).toBeGreaterThan(0);
  const { rows } = await owner.query("select distinct keep_days from segment where keep_days is not null");
  expect(rows).toEqual([{ keep_days: 7 }]);
  // the other way round it is dropped
  const [first, second, third] = (await list()).rules.map((r) => r.id);
  await api.post("/arrival-rules/order", { ids: [third, first, second] });
  await eventually(
    "dropped first",
    async () => {
      await send("<13>app-1: order-two");
      return (await list()).rules[0]!;
    },
    (r) => r.dropped > 0,
  );
  expect((await api.post("/arrival-rules/order", { ids: [first] })).status).toBe(409);
  await clear();
});

test("where the first that came is dropped, what comes by another way is no copy of it: rules see it", async () => {
  await add({ filter: "sender is srv-1 and app is twice" });
  const line = (n: number) => `<13>1 ${new Date().toISOString()} dev-9 twice ${n} - - heard twice`;
  const tcp = async (text: string) => {
    const socket = connect(instance.config.HALVIK_SYSLOG_TCP_PORT, "127.0.0.1");
    await once(socket, "connect");
    socket.end(`${text.length} ${text}`);
    await once(socket, "close");
  };
  await runCommand(instance.env, ["senders", "import", "-"], "name,addresses\nsrv-2,127.0.0.1\n");
  await eventually(
    "it drops",
    async () => {
      await send(line(1));
      return (await list()).rules[0]!;
    },
    (r) => r.dropped > 0,
  );
  const both = line(2);
  await send(both);
  await tcp(both);
  const found = await eventually(
    "the other",
    () => stored('process is "2" and text has "heard twice"'),
    (r) => r.length > 0,
  );
  expect(found).toHaveLength(1);
  expect(found[0]!.marks ?? []).not.toContain("copy");
});

test("counts survive a kill, each batch once; a rule whose list is gone runs no more and says why", async () => {
  await add({ filter: "app is cron" });
  await eventually(
    "it drops",
    async () => {
      await send("<13>cron: x");
      return (await list()).rules[0]!;
    },
    (r) => r.dropped > 0,
  );
  const before = (await list()).rules[0]!.dropped;
  await collector.kill();
  collector = await RoleProcess.start(instance, "collector");
  await send(...Array.from({ length: 20 }, () => "<13>cron: y"));
  await eventually("counted", list, ({ rules }) => rules[0]!.dropped >= before + 20);
  expect((await list()).rules[0]!.dropped).toBe(before + 20);
  await clear();
  const made = await api.post("/lists", { name: "noisy", kind: "address", about: "" });
  await api.post(`/lists/${made.body.id}/entries`, { as: "value", value: "127.79.0.1" });
  await add({ filter: 'sender is srv-1 and src in list "noisy"' });
  const refused = await api.delete(`/lists/${made.body.id}`);
  expect([refused.status, refused.body.error.message]).toEqual([409, expect.stringContaining("rule of arrival")]);
  await owner.query("delete from list");
  expect((await eventually("it says so", list, ({ rules }) => rules[0]!.broken !== null)).rules[0]!.broken).toMatch(
    /list/,
  );
  await eventually(
    "it is noticed",
    () => stored("kind is halvik and event is rule-failing"),
    (r) => r.length === 1,
  );
  await until("stored", "still-stored", "<13>cron: still-stored", (r) => r.length > 0);
  await clear();
});

test("before it is saved: what it would have met, from whom, what it takes, and which rules used it", async () => {
  const preview = async (more: object) => {
    const { status, body } = await api.post("/arrival-rules/preview", rule(more), api.reader);
    return { status, body: body as ArrivalPreview };
  };
  await send(
    ...Array.from(
      { length: 30 },
      (_, i) => `<38>sshd[${i}]: Failed password for root from 203.0.113.9 port ${i + 1} ssh2`,
    ),
  );
  await eventually(
    "stored",
    () => stored('text has "Failed password"'),
    (r) => r.length >= 30,
  );
  await owner.query(
    "insert into rule_version (id, version, body, author, changed_us) select id, version, body, author, changed_us from rule on conflict do nothing",
  );
  const { body } = await preview({ filter: "app is sshd" });
  expect(body).toMatchObject({ says: "is dropped, and counted", exact: true, senders: 1 });
  expect(body.met).toBeGreaterThanOrEqual(30);
  expect(body.of).toBeGreaterThanOrEqual(body.met);
  expect(body.bytesADay).toBeGreaterThan(0);
  expect(body.examples[0]).toMatchObject({ sender: "srv-1" });
  expect(body.rules.map((r) => r.id)).toContain("refused-logons");
  expect((await preview({ filter: "app is nothing-at-all" })).body).toMatchObject({ met: 0, rules: [] });
  expect((await preview({ filter: "ap is sshd" })).status).toBe(400);
});

test.each<[name: string, more: object, message: RegExp]>([
  ["a filter that goes by when one looks", { filter: "time last 10 min" }, /decides once/],
  ["a filter that is none", { filter: "severty is 3" }, /severty|field/],
  ["one that costs too much", { filter: `text matches /${"(a{0,9}b{0,9}){0,9}".repeat(40)}/` }, /costly|long|pattern/],
  ["nothing that it does", { does: "mark" }, /changes nothing/],
  ["days that are no class", { does: "keep", keepDays: 2 }, /./],
  ["a name with a line end", { name: "a\nb" }, /one line/],
  ["U+0000", { does: "mark", tag: "a\u0000b" }, /U\+0000/],
])("%s is refused with a reason", async (_name, more, message) => {
  const { status, body } = await add(more);
  expect(status).toBe(400);
  expect(JSON.stringify(body)).toMatch(message);
});

test("who may only read adds nothing; names are one each; at most eight numbers of days", async () => {
  expect((await api.post("/arrival-rules", rule({}), api.reader)).status).toBe(403);
  expect((await add({ name: "Same" })).status).toBe(200);
  expect((await add({ name: "same" })).status).toBe(409);
  await clear();
  const { id } = ((await api.get("/senders")).body as SenderList).senders[0]!;
  for (const keepDays of [1, 3, 7, 14, 30, 90, 180, 365])
    expect((await add({ does: "keep", keepDays })).status).toBe(200);
  const refused = await add({ does: "keep", keepDays: 1_095 });
  expect([refused.status, refused.body.error?.message]).toEqual([400, expect.stringContaining("at most 8")]);
  expect((await api.patch(`/senders/${id}`, { keepDays: 3_650 })).status).toBe(400);
  expect((await list()).days).toEqual([1, 3, 7, 14, 30, 90, 180, 365]);
  await clear();
});
