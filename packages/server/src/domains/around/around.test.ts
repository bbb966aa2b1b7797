import { AROUND_BY, type AroundAnswer } from "@halvik/contract/around";
import { US_PER_HOUR, US_PER_SECOND } from "@halvik/core/base/time";
import { emptyContent, type RecordContent } from "@halvik/core/model/record";
import { nowUs } from "../../kernel/clock.js";
import { BatchWriter } from "../../store/batches.js";
import { learnBindings } from "../../store/keeping/learn-bindings.js";
import { TestStore } from "../../testing/test-store.js";

/** Records at known distances around one, which share this or that with it. */
let store: TestStore;
let middle = "";
const T = nowUs() - US_PER_HOUR;
const said = (text: string, secondsAfter: number, parts: Partial<RecordContent> = {}): RecordContent => ({
  ...emptyContent("syslog", T + secondsAfter * US_PER_SECOND, T),
  app: "door",
  text,
  ...parts,
});

beforeAll(async () => {
  store = await TestStore.start();
  const [one, two] = [await store.addSender("door-1"), await store.addSender("door-2")];
  const session = (id: string): RecordContent["data"] => [["TargetLogonId", id]];
  await store.put([
    {
      sender: one,
      content: said("middle", 0, { users: ["ORVANE\\anna"], src: "10.0.0.1", data: session("0x77"), host: "gate" }),
    },
    { sender: one, content: said("a second before", -1, { users: ["anna"] }) },
    { sender: two, content: said("two after", 2, { otherAddresses: ["10.0.0.1"] }) },
    { sender: two, content: said("three before", -3, { host: "gate", data: session("0x77") }) },
    { sender: one, content: said("a minute after", 60, { data: [["SubjectLogonId", "0x77"]] }) },
    { sender: one, content: said("at once", 0, { severity: 3 }) },
    { sender: two, content: said("far", -3_000, { users: ["orvane\\ANNA"] }) },
  ]);
  const { body } = await store.api.get("/records?filter=text%20is%20middle");
  middle = body.records[0].id;
});
afterAll(() => store?.dispose());

const ask = async (query: Record<string, string> = {}): Promise<AroundAnswer> => {
  const { status, body } = await store.api.get(`/records/${middle}/around?${new URLSearchParams(query)}`);
  expect([status, body.error]).toEqual([200, undefined]);
  return body;
};
const texts = ({ records }: AroundAnswer) => records.map((r) => [r.record.text, r.afterMs / 1_000]);

test("whatever happened, the nearest first, on both sides, itself left out", async () => {
  expect(texts(await ask())).toEqual([
    ["at once", 0],
    ["a second before", -1],
    ["two after", 2],
    ["three before", -3],
    ["a minute after", 60],
    ["far", -3_000],
  ]);
  expect(texts(await ask({ count: "2" }))).toHaveLength(2);
  expect(texts(await ask({ filter: "severity at least error" }))).toEqual([["at once", 0]]);
});

test.each<[string, string[]]>([
  ["sender", ["at once", "a second before", "a minute after"]],
  ["host", ["three before"]],
  ["address", ["two after"]],
  // a session is one of its sender: another's of the same number is not it
  ["session", ["a minute after"]],
])("by %s", async (by, want) => {
  expect(texts(await ask({ by })).map(([text]) => text)).toEqual(want);
});

test("by user, in whatever case it is written", async () => {
  const found = texts(await ask({ by: "user" })).map(([text]) => text);
  expect(found).toContain("far");
});

test("whoever it is bound to: the address a user came from leads to what that address did", async () => {
  const one = await store.addSender("files-1");
  const at = (text: string, ms: number, parts: Partial<RecordContent>): RecordContent => ({
    ...said(text, 0, parts),
    timeUs: T - US_PER_HOUR / 2 + ms * 1_000,
  });
  await store.put([
    {
      sender: one,
      content: at("bea logged on", 0, { category: "logon", outcome: "success", users: ["bea"], src: "10.9.9.9" }),
    },
    { sender: one, content: at("asked for a name", 5_000, { src: "10.9.9.9", app: "resolver" }) },
    { sender: one, content: at("bea wrote a file", 6_000, { users: ["bea"], app: "files" }) },
  ]);
  while (await learnBindings(store.keeper)) {
    // until nothing is left
  }
  const { body: page } = await store.api.get("/records?filter=text%20is%20%22bea%20wrote%20a%20file%22");
  const { body } = await store.api.get(`/records/${page.records[0].id}/around?by=bindings&count=5`);
  expect(body.records.map((r: { record: { text: string } }) => r.record.text)).toContain("asked for a name");
  expect(body.part).toContain("10.9.9.9");
});

test("more and longer names than a filter can hold are no mistake of ours", async () => {
  const one = await store.addSender("long-1");
  const long = (i: number) => `${i}${'"'.repeat(200)}${"x".repeat(50)}`;
  await store.put([
    {
      sender: one,
      content: said("very long", 7, {
        users: Array.from({ length: 64 }, (_, i) => long(i)),
        otherAddresses: Array.from({ length: 200 }, (_, i) => `2001:db8:1111:2222:3333:4444:5555:${i.toString(16)}`),
        data: [["session", "s".repeat(60_000)]],
      }),
    },
  ]);
  const { body: page } = await store.api.get("/records?filter=text%20is%20%22very%20long%22");
  for (const by of AROUND_BY)
    expect([200, 400]).toContain((await store.api.get(`/records/${page.records[0].id}/around?by=${by}`)).status);
});

test("it says by what else it has something around it, and refuses what it has not", async () => {
  expect((await ask()).by).toEqual(["time", "sender", "host", "user", "address", "session"]);
  expect((await store.api.get(`/records/${middle}/around?by=interface`)).status).toBe(400);
});

test("of a file clocks are put right by what two of its senders told of, and not at all where they told of nothing", async () => {
  const [edge, core, alone] = [
    await store.addSender("edge-1"),
    await store.addSender("core-1"),
    await store.addSender("lone-1"),
  ];
  const old = (sender: number, seconds: number, port: number, text: string) => ({
    sender,
    content: {
      ...said(text, 0, { src: "10.1.1.1", dst: "10.2.2.2", srcPort: port, dstPort: 443, protocol: 6 }),
      app: "gate",
      timeUs: T - 90 * 24 * US_PER_HOUR + seconds * US_PER_SECOND,
      timeReason: "device" as const,
      deviceTime: "2026-08-28T12:00:00.000Z",
      marks: ["imported" as const],
    },
  });
  const file = (job: number) => new BatchWriter(store.client, store.writer.collector, job);
  // another file with the same connections, at the same time: its clocks are its own
  await store.put(
    [1, 2, 3, 4].map((n) => old(core, 10 * n + 900, n, `core saw ${n} in another`)),
    file(8),
  );
  await store.put(
    [
      ...[1, 2, 3, 4].flatMap((n) => [
        old(edge, 10 * n, n, `edge saw ${n}`),
        old(core, 10 * n + 47, n, `core saw ${n}`),
      ]),
      old(alone, 20.5, 9, "lone saw nothing of it"),
    ],
    file(7),
  );
  const { body: page } = await store.api.get(
    "/records?filter=text%20is%20%22edge%20saw%202%22&from=2020-01-01T00:00:00Z&to=2030-01-01T00:00:00Z",
  );
  const { body } = await store.api.get(`/records/${page.records[0].id}/around?count=9&corrected=true`);
  const [first] = body.records as AroundAnswer["records"];
  expect(first).toMatchObject({
    afterMs: 47_000,
    correctedAfterMs: 0,
    isUncertain: true,
    record: { text: "core saw 2" },
  });
  const lone = (body.records as AroundAnswer["records"]).find((r) => r.record.sender.name === "lone-1");
  expect(lone).toMatchObject({ afterMs: 500, correctedAfterMs: 500, isUncertain: null });
});

test("clocks put right: another order of the same records, and what two clocks cannot tell is said", async () => {
  const [fast, slow] = [await store.addSender("cam-1"), await store.addSender("cam-2")];
  await store.client.query(
    "insert into sender_activity (sender, clock_offset_us) values ($1, -400000), ($2, 1200000) on conflict (sender) do update set clock_offset_us = excluded.clock_offset_us",
    [fast, slow],
  );
  const seen = (text: string, ms: number): RecordContent => ({
    ...said(text, 0),
    app: "camera",
    timeUs: T + US_PER_HOUR / 2 + ms * 1_000,
    timeReason: "device",
    deviceTime: "2026-11-28T12:00:00.000Z",
  });
  await store.put([
    { sender: fast, content: seen("gate opens", 0) },
    { sender: fast, content: seen("lorry passes", 900) },
    { sender: slow, content: seen("lamp on", -1_700) },
    { sender: slow, content: seen("gate seen open", -1_000) },
  ]);
  const { body: page } = await store.api.get("/records?filter=text%20is%20%22gate%20opens%22");
  const around = async (corrected: string): Promise<AroundAnswer> =>
    (
      await store.api.get(
        `/records/${page.records[0].id}/around?${new URLSearchParams({ corrected, filter: "app is camera" })}`,
      )
    ).body;
  const brief = (a: AroundAnswer) => a.records.map((r) => [r.record.text, r.correctedAfterMs, r.isUncertain]);
  // by what is stored the lorry is nearest; by clocks put right the lamp came just before, and the gate was seen open after
  expect(brief(await around("false")).map(([text]) => text)).toEqual(["lorry passes", "gate seen open", "lamp on"]);
  expect(brief(await around("true"))).toEqual([
    ["lamp on", -100, true],
    ["gate seen open", 600, false],
    ["lorry passes", 900, false],
  ]);
});
