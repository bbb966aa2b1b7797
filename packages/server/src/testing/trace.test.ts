import { createSocket } from "node:dgram";
import type { Trace } from "@halvik/contract/trace";
import { effort } from "../../../core/src/testing/node/effort.js";
import { RoleProcess } from "./roles.js";
import { runInside } from "./run-inside.js";
import { TestApi } from "./test-api.js";
import { eventually, startTestInstance, type TestInstance } from "./test-database.js";

/** One message followed: what it says would become of it is what becomes of it. */
let instance: TestInstance;
let collector: RoleProcess;
let api: TestApi;
const FROM = "127.79.0.2";

beforeAll(async () => {
  instance = await startTestInstance();
  await runInside(instance.env, ["senders", "import", "-"], `name,addresses\nsrv-2,${FROM}\n`);
  collector = await RoleProcess.start(instance, "collector");
  api = await TestApi.start(instance);
}, 240_000);
afterAll(async () => {
  await collector?.stop();
  await api?.close();
  await instance?.dispose();
});

async function send(lines: readonly string[]): Promise<void> {
  const socket = createSocket("udp4");
  await new Promise<void>((done) => socket.bind(0, FROM, done));
  for (const [i, line] of lines.entries()) {
    await new Promise((done) => socket.send(line, instance.config.HALVIK_SYSLOG_UDP_PORT, "127.0.0.1", done));
    if (i % 100 === 99) await new Promise((done) => setTimeout(done, 50));
  }
  socket.close();
}
const trace = async (body: object): Promise<Trace> => {
  const answer = await api.post(
    "/trace",
    { protocol: "syslog", as: "text", from: FROM, endpoint: "syslog over UDP", ...body },
    api.reader,
  );
  expect([answer.status, answer.body]).toEqual([200, expect.anything()]);
  return answer.body as Trace;
};
const step = ({ steps }: Trace, name: string) => steps.find((s) => s.step === name);
const stored = async (filter: string) =>
  (await api.get(`/records?${new URLSearchParams({ filter, limit: "500" })}`)).body.records as Record<
    string,
    unknown
  >[];

/** Lines of many kinds, each with a word of its own by which it is found again. */
function lines(count: number): string[] {
  let seed = 42;
  const below = (n: number) => {
    seed = (seed * 1_103_515_245 + 12_345) & 0x7fff_ffff;
    return (seed >> 8) % n;
  };
  const address = () => `10.20.${below(8)}.${below(250)}`;
  const kinds: (() => string)[] = [
    () =>
      `sshd[${below(9_999)}]: Failed password for ${below(2) ? "invalid user " : ""}moe from ${address()} port ${below(65_000)} ssh2`,
    () => `sshd[7]: Accepted publickey for lind from ${address()} port 4022 ssh2`,
    () =>
      `kernel: FW IN=eth0 OUT= SRC=${address()} DST=${address()} LEN=60 PROTO=TCP SPT=${below(65_000)} DPT=${below(1_000)}`,
    () => `fw: action=${below(2) ? "deny" : "allow"} src=${address()} dst=${address()} dport=${below(999)} proto=udp`,
    () => `cranes: WRN crane ${below(9)} lifted ${below(40)}.${below(9)} t`,
    () => `cranes: WRN crane ${below(9)} lifted ${below(40)} kg`,
    () => `cron[${below(99)}]: (root) CMD (backup ${below(9)})`,
    () => `app{"a":${below(9)},"user":"r.moe"}`,
    () => `\u0001\u0002 bare ${"é".repeat(below(9))} "${below(99)}'`,
  ];
  return Array.from({ length: count }, (_, i) => `<${below(192)}>${kinds[below(kinds.length)]!()} tern${i}`);
}

test("for hundreds of random messages what it says would be stored is what is stored", async () => {
  await api.post("/formats", {
    name: "cranes",
    filter: "app is cranes",
    form: { is: "line", template: "{severity} crane {crane:number} lifted {load:number} t {ring}" },
    words: { severity: { WRN: "warning" } },
  });
  for (const [i, more] of [
    { filter: "data load over 20", does: "mark", tag: "heavy", severity: { to: 2 } },
    { filter: "src within 10.20.3.0/24", does: "keep", category: "policy", keepDays: 7 },
    // the last one: when it holds, all do
    { filter: "app is cron", does: "drop" },
  ].entries())
    await api.post("/arrival-rules", { name: `rule ${i}`, ...more });
  // rules and formats hold within a second
  await eventually(
    "they hold",
    async () => {
      await send(["<13>cron[1]: (root) CMD (auk)"]);
      return (await api.get("/arrival-rules")).body.rules as { dropped: number }[];
    },
    (rules) => rules.some((r) => r.dropped > 0),
  );
  // a thousand and more with HALVIK_EFFORT=4
  const hundreds = effort(3);
  const all = lines(hundreds * 100);
  await send(all);
  const found = new Map<string, Record<string, unknown>>();
  for (let from = 0; from < hundreds; from++) {
    // every hundred by the digit of their hundreds
    const texts = Array.from({ length: 100 }, (_, i) => `tern${from * 100 + i}`);
    const dropped = all.slice(from * 100, from * 100 + 100).filter((l) => l.includes("cron[")).length;
    const records = await eventually(
      "stored",
      () => stored(`text has ${texts.join(" or text has ")}`),
      (r) => r.length >= 100 - dropped,
    );
    for (const r of records) found.set(/tern\d+$/.exec(String(r.text).trim())![0], r);
  }
  for (const line of all) {
    const t = await trace({ body: line });
    const word = /tern\d+$/.exec(line)![0];
    const real = found.get(word);
    if (step(t, "arrival rules")!.state === "ends") expect([word, real]).toEqual([word, undefined]);
    else {
      // what lies in the moment at which it came is its own
      const { id: _, time: __, arrival: ___, ...expected } = real!;
      expect(t.record).toMatchObject(expected);
    }
  }
  const [heavy] = await stored("data tag is heavy and data load over 20");
  const detail = (await api.get(`/records/${heavy!.id}`)).body.record as { text: string; data: unknown };
  const again = await trace({ body: all.find((l) => l.endsWith(/tern\d+$/.exec(detail.text)![0]!))! });
  expect(again.record!.data).toEqual(detail.data);
}, 240_000);

test("of a stored one: each step with its moment, and where it ended", async () => {
  const [r] = await stored("app is cranes and data tag is heavy");
  const { body } = await api.get(`/records/${r!.id}/trace`);
  const t = body as Trace;
  expect(t.steps.map((s) => [s.step, s.state])).toEqual([
    ["received", "done"],
    ["decoded", "done"],
    ["sender", "done"],
    ["format", "done"],
    ["arrival rules", "done"],
    ["stored", "done"],
    ["index", "waits"],
    ["rules", "waits"],
    ["incident", "ends"],
  ]);
  expect(step(t, "format")!.says).toBe("“cranes” read it");
  expect(step(t, "arrival rules")!.says).toBe("kept, tagged “heavy”");
  expect(step(t, "stored")!.tookMs).toBeGreaterThan(0);
  expect((await api.get("/records/123456789/trace")).status).toBe(404);
});

test("where it would end: nobody knows the sender, a rule drops it, it cannot be read", async () => {
  expect(step(await trace({ body: "<13>x: y", from: "192.0.2.77" }), "stored")).toMatchObject({
    state: "ends",
    says: "it would be held until its sender is admitted",
  });
  expect(step(await trace({ body: "<13>cron: y", from: "SRV-2" }), "arrival rules")).toMatchObject({
    state: "ends",
    says: "dropped by “rule 2”, and counted",
  });
  expect(step(await trace({ protocol: "flow", as: "hex", body: "00 05 ff" }), "decoded")).toMatchObject({
    state: "ends",
  });
  const refused = await trace({ body: "<38>sshd[1]: Failed password for root from 203.0.113.9 port 22 ssh2" });
  expect(step(refused, "rules")!.says).toMatch(/of \d+ rules look for it, \d+ nearly/);
  expect(refused.rules.some((rule) => rule.verdict === "met")).toBe(true);
  for (const [body, message] of [
    [{ body: "x", from: "nobody here" }, /expected an address or the name/],
    [{ body: "0g", as: "hex" }, /hexadecimal/],
    [{ body: "" }, /body/],
  ] as const)
    expect(await api.post("/trace", { protocol: "syslog", as: "text", from: FROM, ...body })).toMatchObject({
      status: 400,
      body: { error: { message: expect.stringMatching(message) } },
    });
});
