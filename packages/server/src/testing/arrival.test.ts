import { createSocket } from "node:dgram";
import { once } from "node:events";
import { connect } from "node:net";
import type { ArrivalPreview, ArrivalRuleList } from "@halvik/contract/arrival";
import type { FormatPreview, OwnFormatList } from "@halvik/contract/formats";
import type { SenderList } from "@halvik/contract/senders";
import pg from "pg";
import { connectionOf } from "../kernel/db/pool.js";
import { RoleProcess, runCommand } from "./roles.js";
import { runInside } from "./run-inside.js";
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
  await runInside(instance.env, ["senders", "import", "-"], "name,addresses\nsrv-1,127.79.0.1\n");
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
  // a name that no record has yet is refused
  ((await api.get(`/records?filter=${encodeURIComponent(filter)}&limit=500`)).body.records ?? []) as {
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
  // also where the newest that it would meet are none of those
  await send(...Array.from({ length: 260 }, (_, i) => `<38>sshd[${i}]: Server listening on port ${i + 1}`));
  await eventually(
    "stored",
    () => stored('text has "Server listening"'),
    (r) => r.length >= 260,
  );
  const later = await eventually(
    "there was time to ask all rules",
    async () => (await preview({ filter: "app is sshd" })).body,
    ({ allRules }) => allRules,
  );
  expect(later.rules.map((r) => r.id)).toContain("refused-logons");
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

describe("formats that people made", () => {
  const cranes = {
    name: "cranes",
    filter: "app is cranes",
    form: { is: "line", template: "{severity} crane {crane:number} lifted {load:number} t from {src} by {user}" },
    words: { severity: { WRN: "warning" } },
    sets: { category: "service" },
    examples: ["WRN crane 4 lifted 12.5 t from 10.20.4.7 by k.lind"],
  };
  const formats = async () => (await api.get("/formats")).body as OwnFormatList;
  const line = (word: string, load: string) => `<13>cranes: WRN crane 4 lifted ${load} t from 10.20.4.7 by ${word}`;

  test("lines become typed values before rules decide about them; those that nearly fit are told", async () => {
    const made = await api.post("/formats", cranes);
    expect(made).toMatchObject({ status: 200, body: { formats: [{ version: 1, broken: null }] } });
    await add({ does: "mark", tag: "heavy", filter: 'app is cranes and data load over 10 and user is "eider"' });
    const heavy =
      'user is eider and data load between 12 and 13 and data crane is 4 and data format is cranes and src is 10.20.4.7 and data tag is "heavy"';
    const [r] = await eventually(
      "read",
      async () => {
        await send(line("eider", "12.5"));
        await new Promise((done) => setTimeout(done, 400));
        return stored(heavy);
      },
      (found) => found.length > 0,
    );
    expect(r).toMatchObject({
      category: "service",
      text: "WRN crane 4 lifted 12.5 t from 10.20.4.7 by eider",
    });
    expect(await stored(`${heavy} and severity is warning`)).not.toEqual([]);
    await send(
      "<13>cranes: WRN crane 4 lifted 12 kg",
      "<13>cranes: out of service",
      "<13>other: WRN crane 4 lifted 12 kg",
    );
    const [format] = await eventually(
      "nearly",
      async () => (await formats()).formats,
      ([f]) => (f?.near ?? 0) > 0,
    );
    expect(format).toMatchObject({
      near: 1,
      nearLines: [{ sender: "srv-1", text: "WRN crane 4 lifted 12 kg", place: 21, expected: '" t from "' }],
    });
    expect(format!.day).toBeGreaterThanOrEqual(1);
  });

  test("on trial it says what it would have read of what is stored, and what it makes of lines that were given", async () => {
    const lines = ["crane 4 lifted 1 t", "crane four"];
    const format = {
      ...cranes,
      words: {},
      filter: 'text has "crane"',
      form: { is: "line", template: "{} crane {crane:number} {rest}" },
      examples: [],
    };
    const { body, status } = await api.post("/formats/preview", { format, lines });
    const preview = body as FormatPreview;
    expect(status).toBe(200);
    expect(preview.lines).toMatchObject([{ place: 0 }, { place: 0 }]);
    expect(preview.spans[1]).toMatchObject({ says: "the last 30 days", exact: true, near: 0 });
    expect(preview.spans[1]!.fits).toBeGreaterThanOrEqual(1);
    expect(preview.fits[0]!.values).toContainEqual({ name: "crane", value: "4", isField: false });
    for (const [wrong, message] of [
      [{ form: { is: "line", template: "{a}{b}" } }, /something must stand/],
      [{ examples: ["crane"] }, /test line 1 does not fit/],
      [{ filter: "sender is nobody-here" }, /its filter/],
    ] as const)
      expect(await api.post("/formats/preview", { format: { ...format, ...wrong } })).toMatchObject({
        status: 400,
        body: { error: { message: expect.stringMatching(message) } },
      });
  });

  test("versions stay; as files they go out and come back; one whose filter names what is gone is noticed", async () => {
    const { id } = (await formats()).formats[0]!;
    const changed = await api.patch(`/formats/${id}`, { format: { ...cranes, sets: {} } });
    expect(changed).toMatchObject({ status: 200, body: { formats: [{ version: 2 }] } });
    // the same again is no other version
    expect(await api.patch(`/formats/${id}`, { format: { ...cranes, sets: {} } })).toMatchObject({
      body: { formats: [{ version: 2 }] },
    });
    expect((await api.get(`/formats/${id}/versions`)).body).toMatchObject({
      versions: [{ version: 2 }, { version: 1, format: { sets: { category: "service" } } }],
    });
    const { out } = await runCommand(instance.env, ["formats", "export"]);
    expect(
      (
        await runCommand(
          instance.env,
          ["formats", "import", "-"],
          `${out}---\nname: broken\nform: {is: line, template: none}\n`,
        )
      ).err,
    ).toMatch(/names no value/);
    expect((await runCommand(instance.env, ["formats", "import", "-"], out)).out).toMatch(/1 read, 0 added/);
    expect((await formats()).formats).toMatchObject([{ version: 2, format: { ...cranes, sets: {} } }]);
    expect(await api.post("/formats", { ...cranes, name: "CRANES" })).toMatchObject({ status: 409 });
    expect(await api.post("/formats", cranes, api.reader)).toMatchObject({ status: 403 });
    await api.delete(`/formats/${id}`);
    expect((await formats()).formats).toEqual([]);
  });
});

test("what has a message shape is dropped by it, also when the shape is found to be wider", async () => {
  const rooms = ["bridge", "galley", "hold", "ramp", "mess", "radio", "sauna", "chart"];
  const line = (room: string) => `<13>lamps[1]: the lamp in the ${room} went out again`;
  await send(line(rooms[0]!));
  const [first] = await eventually(
    "its shape",
    () => stored("app is lamps and shape present"),
    (r) => r.length > 0,
  );
  const { shape } = first as unknown as { shape: number };
  await add({ filter: `shape is ${shape}` });
  const rule = async () => (await list()).rules.find((r) => r.rule.filter === `shape is ${shape}`)!;
  await eventually(
    "it drops what is of it",
    async () => {
      await send(line(rooms[0]!));
      return rule();
    },
    (r) => r.dropped > 0,
  );
  const { dropped } = await rule();
  // many rooms: the room is a value now, and the shape the same
  await eventually(
    "it drops what is of it now",
    async () => {
      await send(...rooms.map(line));
      return rule();
    },
    (r) => r.dropped >= dropped + 2 * rooms.length,
  );
  await api.delete(`/arrival-rules/${(await rule()).id}`);
});
