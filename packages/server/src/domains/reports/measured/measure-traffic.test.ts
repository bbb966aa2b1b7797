import type { PartAnswer } from "@halvik/contract/reports";
import { formatUs } from "@halvik/core/base/time";
import { OWN_SOURCES } from "@halvik/core/query/measure";
import { nowUs } from "../../../kernel/clock.js";
import { TestStore } from "../../../testing/test-store.js";
import { bytesWithin, keepFlows, reportedFlows, sumStored, type Told } from "../../../testing/told-flows.js";

/** Traffic as reports measure it, held against the flows themselves, spread by hand; a conversation of each flow its own. */
const H = 3_600e6;
/** A whole day that has been over for some; flows lie in its first hours. */
const DAY = Math.floor(nowUs() / (24 * H)) * 24 * H - 24 * H;
const EXPORTERS = [
  ["rt-hestnes", "Hestnes"],
  ["sw-hestnes", "Hestnes"],
  ["rt-vardholm", "Vardholm"],
] as const;

let store: TestStore;
let flows: readonly Told[];
const names = new Map<number, string>();
beforeAll(async () => {
  store = await TestStore.start();
  for (const [name, site] of EXPORTERS) names.set(await store.addSender(name, site), name);
  const exporters = [...names.keys()];
  // few values, so that each is more than the hundredth that lists keep; no two exporters tell of the same two addresses, and one of them samples
  flows = reportedFlows(exporters, 11, 400, DAY + 2 * H).map((f, i) => ({
    ...f,
    src: `10.${f.sender}.0.${i % 3}`,
    dst: `203.0.113.${i % 2}`,
    rate: f.sender === exporters[2] ? 100 : 1,
  }));
  await keepFlows(store, flows);
  await sumStored(store.keeper);
}, 240_000);
afterAll(() => store?.dispose(), 240_000);

async function ask(measure: object, more: object = {}): Promise<PartAnswer["part"]> {
  const part = { is: "table", title: "t", measure: { source: "traffic", top: 100, ...measure }, ...more };
  const body = { part, period: { last: 1, unit: "day" }, at: formatUs(DAY + 24 * H), zone: "UTC" };
  return ((await store.api.post("/reports/part", body).expect(200)).body as PartAnswer).part;
}
async function measured(measure: object, more: object = {}) {
  const part = await ask(measure, more);
  if (part.is !== "measured") throw new Error(JSON.stringify(part));
  return part.measured;
}
const BYTES = { figure: { of: "sum", number: "bytes" } };
/** Bytes by hand. Rounding is of whole octets, one a flow and step at most. */
function byHand(keyOf: (f: Told) => readonly string[], from = DAY, to = DAY + 24 * H): Map<string, number> {
  const sums = new Map<string, number>();
  for (const f of flows) for (const key of keyOf(f)) sums.set(key, (sums.get(key) ?? 0) + bytesWithin(f, from, to) * 1);
  return sums;
}
function expectNear(rows: readonly { labels: string[]; value: unknown }[], want: Map<string, number>) {
  const told = new Map(rows.map((r) => [r.labels.join(" "), Number(r.value)]));
  expect([...told.keys()].sort()).toEqual([...want].flatMap(([key, n]) => (n > 0 ? [key] : [])).sort());
  for (const [key, n] of told) expect(Math.abs(n - want.get(key)!)).toBeLessThanOrEqual(flows.length);
}
const sender = (f: Told) => names.get(f.sender)!;
const site = (f: Told) => (sender(f).endsWith("vardholm") ? "Vardholm" : "Hestnes");

test.each<[string, object, (f: Told) => readonly string[]]>([
  ["source", { by: ["source"] }, (f) => [f.src]],
  ["pair", { by: ["pair"] }, (f) => [`${f.src} → ${f.dst}`]],
  ["ip version", { by: ["ip version"] }, () => ["IPv4"]],
  ["exporter", { by: ["exporter"] }, (f) => [sender(f)]],
  ["site", { by: ["site"] }, (f) => [site(f)]],
  [
    "interface and direction",
    { by: ["interface", "direction"] },
    (f) => [`${sender(f)} interface ${f.ingress} in`, `${sender(f)} interface ${f.egress} out`],
  ],
  [
    "interface, both ways",
    { by: ["interface"] },
    (f) => [`${sender(f)} interface ${f.ingress}`, `${sender(f)} interface ${f.egress}`],
  ],
  ["exporter and source", { by: ["exporter", "source"] }, (f) => [`${sender(f)} ${f.src}`]],
  [
    "source, of one site",
    { by: ["source"], only: [{ by: "site", is: ["hestnes"] }] },
    (f) => (site(f) === "Hestnes" ? [f.src] : []),
  ],
  [
    "source, of one exporter",
    { by: ["source"], only: [{ by: "exporter", is: ["RT-Vardholm"] }] },
    (f) => (sender(f) === "rt-vardholm" ? [f.src] : []),
  ],
])("bytes by %s are those of the flows", async (_name, measure, keyOf) => {
  const { rows, total, others } = await measured({ ...BYTES, ...measure });
  const want = byHand(keyOf);
  expectNear(rows, want);
  expect(others).toBe(0);
  const all = [...want.values()].reduce((a, b) => a + b, 0);
  expect(Math.abs(Number(total.value) - all)).toBeLessThanOrEqual(flows.length);
});

test("over steps, each holds what was under way in it; by the second it is in bits", async () => {
  const { steps, rows, total, unit } = await measured(
    { ...BYTES, by: ["source"], perSecond: true },
    { is: "profile", step: "hour" },
  );
  expect(unit).toBe("bits/s");
  expect(steps).toHaveLength(25);
  for (let i = 0; i < 24; i++) {
    const [from, to] = [DAY + i * H, DAY + (i + 1) * H];
    const hour = byHand((f) => [f.src], from, to);
    const whole = [...hour.values()].reduce((a, b) => a + b, 0);
    expect(Math.abs(Number(total.steps[i] ?? 0) - (8 * whole) / 3_600)).toBeLessThanOrEqual(flows.length);
    for (const row of rows)
      expect(Math.abs(Number(row.steps[i] ?? 0) - (8 * (hour.get(row.labels[0]!) ?? 0)) / 3_600)).toBeLessThan(100);
  }
});

test("a period that begins within a step of sums: the rate of its first step is that of the time that is in it", async () => {
  const from = DAY + 3 * H + 4 * 60e6;
  const body = {
    part: { is: "course", title: "t", measure: { source: "traffic", ...BYTES, perSecond: true }, step: "5 minutes" },
    ...{ period: { last: 1, unit: "hour", whole: false }, at: formatUs(from + H), zone: "UTC" },
  };
  const { part } = (await store.api.post("/reports/part", body).expect(200)).body as PartAnswer;
  if (part.is !== "measured") throw new Error(JSON.stringify(part));
  const { total, steps } = part.measured;
  expect(steps.slice(0, 2)).toEqual([formatUs(from), formatUs(from + 60e6)]);
  // of the five minutes that the first minute lies in
  const five = [...byHand(() => ["all"], from - 4 * 60e6, from + 60e6).values()][0] ?? 0;
  expect(Math.abs(Number(total.steps[0]) - (8 * five) / 300)).toBeLessThanOrEqual(flows.length);
  expect(total.exact).toBe(false);
});

test("flows are counted; by the hours of a zone; least first", async () => {
  const counted = await measured({ by: ["exporter"] });
  expect(new Map(counted.rows.map((r) => [r.labels[0], r.value]))).toEqual(
    new Map([...names.values()].map((n) => [n, flows.filter((f) => sender(f) === n).length])),
  );
  expect(counted.unit).toBe("flows");
  const hours = await measured(BYTES, { is: "hours of the week", measure: { source: "traffic", ...BYTES } });
  const byHour = new Map<string, number>();
  for (let i = 0; i < 24; i++) {
    const sum = [...byHand(() => ["all"], DAY + i * H, DAY + (i + 1) * H).values()][0] ?? 0;
    if (sum > 0) byHour.set(`${String(i).padStart(2, "0")}:00`, sum);
  }
  const weekday = new Date(DAY / 1_000).toLocaleDateString("en", { weekday: "long", timeZone: "UTC" });
  expectNear(hours.rows, new Map([...byHour].map(([hour, n]) => [`${weekday} ${hour}`, n])));
  const least = await measured({ ...BYTES, by: ["source"], order: "least", top: 1 });
  const [smallest] = [...byHand((f) => [f.src])].sort((a, b) => a[1] - b[1]);
  expect(least.rows[0]!.labels).toEqual([smallest![0]]);
});

test("what a sampling exporter told is marked, and how much of all it is", async () => {
  const { rows, total, estimated } = await measured({ ...BYTES, by: ["exporter"] });
  expect(rows.map((r) => [r.labels[0], r.exact]).sort()).toEqual([
    ["rt-hestnes", true],
    ["rt-vardholm", false],
    ["sw-hestnes", true],
  ]);
  expect(total.exact).toBe(false);
  const sampled = Number(rows.find((r) => r.labels[0] === "rt-vardholm")!.value);
  expect(estimated).toBeCloseTo((100 * sampled) / Number(total.value), 3);
});

test.each<[string, object]>([
  ["exporter and source", { by: ["exporter", "source"] }],
  ["interface and direction", { by: ["interface", "direction"] }],
  ["site", { by: ["site"] }],
  ["pair", { by: ["pair"] }],
  ["service, of one exporter", { by: ["service"], only: [{ by: "exporter", is: ["rt-hestnes"] }] }],
  ["application, of one site", { by: ["application"], only: [{ by: "site", is: ["Hestnes"] }] }],
])("the filter of a row by %s finds its flows", async (_name, measure) => {
  const { rows } = await measured({ ...BYTES, ...measure });
  const window = { from: formatUs(DAY), to: formatUs(DAY + 24 * H) };
  for (const row of rows.slice(0, 3)) {
    const asked = new URLSearchParams({ filter: row.filter!, ...window, limit: "500" });
    const { body } = await store.api.get(`/records?${asked}`);
    expect((body as { records: unknown[] }).records.length).toBe(row.records);
  }
});

test("a report of one sender tells its traffic alone; of one that exports none, nothing", async () => {
  const report = { name: "Of one", period: { last: 1, unit: "day" }, asks: "sender", parts: [] as object[] };
  report.parts.push({ is: "figure", title: "t", measure: { source: "traffic", ...BYTES } });
  await store.addSender("quiet");
  const { id } = (await store.api.post("/reports", report).expect(200)).body as { id: number };
  const ran = async (of: string) => {
    const asked = { at: formatUs(DAY + 24 * H), zone: "UTC", of };
    const kept = (await store.api.post(`/reports/${id}/runs`, asked).expect(200)).body as { runs: { id: number }[] };
    const made = (await store.api.get(`/reports/${id}/runs/${kept.runs[0]!.id}`)).body as {
      parts: PartAnswer["part"][];
    };
    const [part] = made.parts;
    return part?.is === "measured" ? Number(part.measured.total.value) : part;
  };
  const want = byHand((f) => [sender(f)]).get("rt-hestnes")!;
  expect(Math.abs(Number(await ran("rt-hestnes")) - want)).toBeLessThanOrEqual(flows.length);
  expect(await ran("quiet")).toBe(0);
});

test.each<[string, object, RegExp]>([
  ["two values at a time", { by: ["source", "dscp"] }, /one of .*source.* at a time/],
  ["a direction of nothing", { by: ["direction"] }, /of an interface/],
  ["two places", { by: ["exporter", "site"] }, /one of exporter and site/],
  ["an average, which sums do not keep", { figure: { of: "average", number: "bytes" } }, /expected one of count, sum/],
  ["narrowed by what only flows tell", { only: [{ by: "source", is: ["10.0.0.1"] }] }, /exporter, interface, site/],
  ["an exporter that there is not", { by: ["source"], only: [{ by: "exporter", is: ["rt-0"] }] }, /rt-0.*rt-hestnes/],
])("refused: %s", async (_name, measure, why) => {
  const part = { is: "table", title: "t", measure: { source: "traffic", by: ["source"], ...measure } };
  const body = { part, period: { last: 1, unit: "day" }, at: formatUs(DAY + 24 * H), zone: "UTC" };
  const answer = await store.api.post("/reports/part", body);
  expect(JSON.stringify(answer.body)).toMatch(why);
});

test("everything it can be told apart by can be asked together where it is not refused", async () => {
  const { by, refuses } = OWN_SOURCES.traffic;
  for (const [i, one] of by.entries())
    for (const two of by.slice(i + 1)) {
      if (refuses([one]) !== null || refuses([one, two]) !== null) continue;
      expect((await ask({ by: [one, two] })).is).toBe("measured");
    }
});
