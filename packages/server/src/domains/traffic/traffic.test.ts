import type {
  PoliciesAnswer,
  PolicyAnswer,
  TrafficAnswer,
  TrafficLists,
  TrafficPlaces,
} from "@halvik/contract/traffic";
import { formatUs } from "@halvik/core/base/time";
import { emptyContent } from "@halvik/core/model/record";
import { LEVELS, NO_SITES, TrafficSums } from "@halvik/core/traffic";
import type pg from "pg";
import request from "supertest";
import { nowUs } from "../../kernel/clock.js";
import { BatchWriter } from "../../store/batches.js";
import { claimCollector } from "../../store/collectors.js";
import { indexNext } from "../../store/keeping/index-segments.js";
import { TrafficKeeping } from "../../store/keeping/keep-traffic.js";
import { deriveSums } from "../../store/traffic/derive-sums.js";
import { meterSet, readTop, readUnlisted } from "../../store/traffic/read-sums.js";
import { flowsBehind, missFlows } from "../../store/traffic/sum-flows.js";
import { addRows, closeSteps, takeOutRows } from "../../store/traffic/write-sums.js";
import type { TestApi } from "../../testing/test-api.js";
import { TestStore } from "../../testing/test-store.js";
import { bytesWithin, keepFlows, reportedFlows, sumStored, type Told } from "../../testing/told-flows.js";
import { removeImport } from "../intake/imports/remove-import.js";

const S = 1e6;
const MIN = 60 * S;
const H = 60 * MIN;
const KEEP = { minute: 2, five: 60, hour: 730 };
/** A whole hour that has been over for some. */
const T = Math.floor(nowUs() / H) * H - 30 * H;

let store: TestStore;
let client: pg.Client;
let keeper: pg.Client;
let api: TestApi;
const exporters: number[] = [];
beforeAll(async () => {
  store = await TestStore.start();
  ({ client, keeper, api } = store);
  for (const [name, site] of [
    ["rt-hestnes", "Hestnes"],
    ["sw-hestnes", "Hestnes"],
    ["rt-vardholm", "Vardholm"],
  ] as const)
    exporters.push(await store.addSender(name, site));
}, 240_000);
afterAll(() => store?.dispose());

const get = async <T>(path: string, status = 200): Promise<T> => {
  const answer = await api.get(path);
  expect(answer.status).toBe(status);
  return answer.body as T;
};
const window = (from: number, to: number) =>
  `from=${encodeURIComponent(formatUs(from))}&to=${encodeURIComponent(formatUs(to))}`;

const flowsOf = (seed: number, count: number, fromUs = T, spanUs = 3 * H) =>
  reportedFlows(exporters, seed, count, fromUs, spanUs);
const keep = (flows: readonly Told[], into = store.writer) => keepFlows(store, flows, into);
const sum = (db = keeper) => sumStored(db as never);
const within = bytesWithin;
const near = (got: number, want: number, flows: number) => expect(Math.abs(got - want)).toBeLessThanOrEqual(flows + 1);

const all = () => [...flowsOf(7, 600)];

test("flows are summed once, whatever is killed in between; an interface, an exporter, a site and everything say what a recount says", async () => {
  const flows = all();
  await keep(flows.slice(0, 200));
  await sum();
  // one that dies before it commits leaves nothing behind
  await keep(flows.slice(200));
  const dying = Object.assign(Object.create(keeper), {
    query: (...of: unknown[]) =>
      String(of[0]).startsWith("insert into traffic_position")
        ? Promise.reject(new Error("killed"))
        : (keeper.query as (...of: unknown[]) => unknown).apply(keeper, of),
  });
  await expect(sum(dying)).rejects.toThrow("killed");
  expect(await flowsBehind(keeper)).toBe(400);
  const misses = (fromUs: number, toUs: number) => missFlows(keeper, { fromUs, toUs }, nowUs());
  // of the time they are of, and of no other
  expect([await misses(T, T + 3 * H), await misses(0, T), await misses(T + 3 * H, nowUs())]).toEqual([
    true,
    false,
    false,
  ]);
  await sum();
  await sum();
  expect([await flowsBehind(keeper), await misses(0, nowUs())]).toEqual([0, false]);
  const [hestnes, other, vardholm] = exporters as [number, number, number];
  const [from, to] = [T, T + 2 * H];
  const told = (of: (f: Told) => boolean, a = from, b = to) =>
    flows.filter(of).reduce((bytes, f) => bytes + within(f, a, b), 0);
  const answer = (query: string) => get<TrafficAnswer>(`/traffic?${window(from, to)}&${query}`);
  const ofInterface = await answer(`exporter=${hestnes}&interface=1`);
  expect(ofInterface).toMatchObject({ sides: 2, asked: { counted: "interface", exporters: 1, behind: 0 } });
  near(
    ofInterface.total[0]!.bytes,
    told((f) => f.sender === hestnes && f.ingress === 1),
    flows.length,
  );
  near(
    ofInterface.total[1]!.bytes,
    told((f) => f.sender === hestnes && f.egress === 1),
    flows.length,
  );
  near(
    (await answer(`exporter=${vardholm}`)).total[0]!.bytes,
    told((f) => f.sender === vardholm),
    flows.length,
  );
  near(
    (await answer("site=Hestnes")).total[0]!.bytes,
    told((f) => f.sender === hestnes || f.sender === other),
    flows.length,
  );
  near(
    (await answer("site=vardholm")).total[0]!.bytes,
    told((f) => f.sender === vardholm),
    flows.length,
  );
  const whole = await answer("by=total");
  near(
    whole.total[0]!.bytes,
    told(() => true),
    flows.length,
  );
  // step by step, too
  for (const step of whole.steps) {
    const at = Date.parse(step.from) * 1_000;
    near(
      step.whole[0]!,
      told(() => true, at, at + whole.step * S),
      flows.length,
    );
  }
  expect(whole.total[0]!.flows).toBe(flows.filter((f) => f.end >= from && f.end < to).length);
});

test("narrowed by a filter, the flows themselves say what a recount says: scanned, by terms, and with each of the same thing once", async () => {
  const flows = all();
  const [hestnes, , vardholm] = exporters as [number, number, number];
  const [from, to] = [T, T + 2 * H];
  const narrowings: readonly [filter: string, of: (f: Told) => boolean][] = [
    ["src within 10.1.1.0/24", (f) => f.src.startsWith("10.1.1.")],
    ["dst port is ssh and not src is 10.1.0.3", (f) => f.port === 22 && f.src !== "10.1.0.3"],
    ["dst is 203.0.113.7", (f) => f.dst === "203.0.113.7"],
    ["application matches /^dom|^ssh/", (f) => f.port === 53 || f.port === 22],
    ["dscp is ef and bytes over 1 MB", (f) => f.tos === 184 && f.bytes > 1_000_000],
  ];
  const check = async () => {
    for (const [filter, of] of narrowings)
      for (const [query, also] of [
        ["", () => true],
        [`exporter=${vardholm}`, (f: Told) => f.sender === vardholm],
        [`exporter=${hestnes}&interface=1`, (f: Told) => f.sender === hestnes && f.ingress === 1],
      ] as const) {
        const asked = `${window(from, to)}&patience=15&filter=${encodeURIComponent(filter)}&${query}`;
        const answer = await get<TrafficAnswer>(`/traffic?${asked}`);
        const matching = flows.filter((f) => of(f) && also(f));
        const want = matching.reduce((bytes, f) => bytes + within(f, from, to), 0);
        expect(answer.asked).toMatchObject({ reached: null, sums: 0, behind: 0 });
        near(answer.total[0]!.bytes, want, matching.length);
        // of an interface, lists are of what came in and of what went out
        if (answer.sides === 2) continue;
        const { lists } = await get<TrafficLists>(`/traffic/lists?${asked}&dimensions=source,ip%20version&most=100`);
        for (const row of lists[0]!.rows)
          near(
            row.amounts.bytes,
            matching.filter((f) => f.src === row.label).reduce((bytes, f) => bytes + within(f, from, to), 0),
            matching.length,
          );
        expect(lists[1]!.rows.map((r) => r.label)).toEqual(want > 0 ? ["IPv4"] : []);
      }
  };
  await check();
  while (await indexNext(client, 100)) {}
  await check();
  const mistaken = await api.get(`/traffic?${window(from, to)}&filter=${encodeURIComponent("src within here")}`);
  expect([mistaken.status, mistaken.body.error.code]).toEqual([400, "BAD_FILTER"]);
});

test("lists say what a recount says, from the flows, from sums by the hour, and when their steps are closed", async () => {
  const flows = all();
  const read = (from: number, to: number) =>
    get<TrafficLists>(`/traffic/lists?${window(from, to)}&dimensions=application,source,destination,dscp&most=100`);
  const check = ({ lists }: TrafficLists, from: number, to: number) => {
    const of = { source: (f: Told) => f.src, destination: (f: Told) => f.dst } as Record<string, (f: Told) => string>;
    for (const list of lists) {
      const by = of[list.dimension];
      if (by === undefined) continue;
      const want = new Map<string, number>();
      for (const f of flows) want.set(by(f), (want.get(by(f)) ?? 0) + within(f, from, to));
      for (const row of list.rows) near(row.amounts.bytes, want.get(row.label) ?? 0, flows.length);
      expect(list.rows.length + list.others.values).toBe([...want.values()].filter((n) => n > 0).length);
    }
    const applications = lists[0]!;
    const dscp = lists[3]!;
    expect(applications.rows.map((r) => r.label).sort()).toEqual([
      "domain",
      "https",
      "microsoft-ds",
      "ssh",
      "unnamed tcp 23470",
    ]);
    expect(applications.rows.find((r) => r.unnamed)?.filter).toBe("protocol is 6 and port is 23470");
    expect(dscp.rows.map((r) => r.label).sort()).toEqual(["0 best effort", "26 af31", "46 expedited"]);
    expect(dscp.rows.reduce((sum, r) => sum + r.share, 0)).toBeCloseTo(1, 3);
  };
  const raw = await read(T, T + 2 * H);
  expect(raw.asked.sums).toBe(0);
  check(raw, T, T + 2 * H);
  const hours = await read(T, T + 4 * H);
  expect(hours.asked.sums).toBe(3_600);
  check(hours, T, T + 4 * H);
  while (await closeSteps(keeper as never, KEEP, nowUs()));
  const closed = await read(T, T + 4 * H);
  const total = (l: TrafficLists) =>
    l.lists[1]!.rows.reduce((sum, r) => sum + r.amounts.bytes, l.lists[1]!.others.amounts.bytes);
  expect(total(closed)).toBe(total(hours));
  // what went of a value is not more than is said
  for (const row of hours.lists[1]!.rows) {
    const now = closed.lists[1]!.rows.find((r) => r.label === row.label);
    expect(row.amounts.bytes - (now?.amounts.bytes ?? 0)).toBeLessThanOrEqual(closed.lists[1]!.mayLack);
  }
});

test("what comes late changes steps that are closed; what is removed leaves no trace", async () => {
  const total = async () => (await get<TrafficAnswer>(`/traffic?${window(T, T + 4 * H)}&by=total`)).total[0]!;
  const stored = async () =>
    (
      await client.query(
        "select level, way, dimension, step, sender, interface, vals, bytes, flows from traffic_sum where dimension in (0, 2) order by 1, 2, 3, 4, 5, 6",
      )
    ).rows;
  while (await closeSteps(keeper as never, KEEP, nowUs()));
  const [before, rowsBefore] = [await total(), await stored()];
  const { rows } = await client.query<{ id: number }>(
    "insert into job (name, state, started_us, updated_us) values ('x', 'done', 0, 0) returning id",
  );
  const claim = await claimCollector(client, "import-9", "import");
  const importer = new BatchWriter(client, claim.number, rows[0]!.id);
  const late = flowsOf(8, 100, T + H, H);
  await keep(late, importer);
  await sum();
  near(
    (await total()).bytes - before.bytes,
    late.reduce((n, f) => n + f.bytes, 0),
    late.length,
  );
  expect(await removeImport(client, rows[0]!.id)).toBe(100);
  expect(await total()).toEqual(before);
  while (await closeSteps(keeper as never, KEEP, nowUs()));
  expect(await stored()).toEqual(rowsBefore);
});

test("absurd counters end at what can be kept, and one of them spoils nothing else", async () => {
  const [, , vardholm] = exporters as [number, number, number];
  const at = T + 10 * H;
  const one = { ...flowsOf(9, 1, at, MIN)[0]!, sender: vardholm, start: at, end: at + MIN };
  await keep([
    { ...one, bytes: Number.MAX_SAFE_INTEGER },
    { ...one, bytes: Number.MAX_SAFE_INTEGER, start: -1e15 },
    { ...one, src: "10.9.9.9", bytes: 5 },
  ]);
  await sum();
  const { lists } = await get<TrafficLists>(
    `/traffic/lists?${window(at, at + 4 * H)}&dimensions=source&exporter=${vardholm}&most=5`,
  );
  expect(lists[0]!.rows.find((r) => r.label === "10.9.9.9")?.amounts.bytes).toBe(5);
});

test("flows that cannot be summed hold up nothing else: it is told once, tried again later, and then all of them are", async () => {
  const at = T - 25 * H;
  await keep(flowsOf(11, 20, at, MIN));
  let isBroken = true;
  const broken = Object.assign(Object.create(keeper), {
    query: (...of: unknown[]) =>
      isBroken && String(of[0]).startsWith("insert into traffic_sum")
        ? Promise.reject(new Error("it will not take this"))
        : (keeper.query as (...of: unknown[]) => unknown).apply(keeper, of),
  });
  const keeping = new TrafficKeeping(broken, KEEP);
  const beat = async () => undefined;
  const first = await keeping.turn(nowUs, beat);
  expect(first).toMatchObject({
    more: false,
    told: [{ event: "traffic-not-summed", text: expect.stringContaining("it will not take this") }],
  });
  // not before a minute has passed
  expect(await keeping.turn(nowUs, beat)).toEqual({ more: false, told: [] });
  expect(await flowsBehind(keeper)).toBe(20);
  isBroken = false;
  await new TrafficKeeping(broken, KEEP).turn(nowUs, beat);
  expect(await flowsBehind(keeper)).toBe(0);
});

test("of a step that is over, lists are kept of what is busy and take in what comes later; what has none is told", async () => {
  const five = LEVELS[1];
  const [from, to] = [T - 10 * 24 * H, T - 10 * 24 * H + 5 * MIN];
  const sum = (count: number, sender: number, bytes: number) => {
    const sums = new TrafficSums(NO_SITES);
    for (let i = 0; i < count; i++)
      sums.add({
        ...{
          sender,
          timeUs: from + S,
          startUs: from,
          src: `10.8.0.${i % 3}`,
          dst: "203.0.113.1",
          srcPort: 1,
          dstPort: 443,
        },
        ...{ protocol: 6, bytes, packets: 1, reverseBytes: 0, reversePackets: 0, ingress: 1, egress: 2, direction: 0 },
        ...{ tos: 0, tcpFlags: 2, srcAs: null, dstAs: null, application: null, samplingRate: 1 },
      });
    return sums.take().find((l) => l.level === five)!.rows;
  };
  const [busy, quiet] = [9_001, 9_002];
  const meters = [busy, quiet].map((sender) => ({ sender, interface: 1, way: 0, side: 0 as const }));
  const pieces = [{ level: five, fromUs: from, toUs: to }];
  const read = async () => {
    const { rows } = await readTop(keeper, meterSet(meters), "source", pieces, "bytes", 10);
    return [rows.reduce((n, r) => n + r.bytes, 0), await readUnlisted(keeper, meterSet(meters), pieces)];
  };
  await addRows(keeper, five, [...sum(400, busy, 10), ...sum(7, quiet, 1_000)], nowUs());
  expect(await read()).toEqual([4_000, 7_000]);
  await addRows(keeper, five, [...sum(5, busy, 10), ...sum(5, quiet, 1_000)], nowUs());
  expect(await read()).toEqual([4_050, 12_000]);
  await takeOutRows(keeper, five, [...sum(5, busy, 10), ...sum(5, quiet, 1_000)], nowUs());
  expect(await read()).toEqual([4_000, 7_000]);
  await client.query("delete from traffic_sum where sender >= 9000 or (sender = 0 and step = $1)", [from / (5 * MIN)]);
});

test("by the day and over all exporters is what each of them and each hour says, whatever comes late or is removed again", async () => {
  const day = Math.floor(T / (24 * H)) * 24 * H - 14 * 24 * H;
  await keep(flowsOf(21, 400, day + 5 * H, 60 * H));
  await sum();
  const stored = async () =>
    (
      await client.query<{ level: number; dimension: number; step: number; sender: number }>(
        "select level, dimension, step, sender, interface, way, vals, bytes, packets, flows, estimated, rate from traffic_sum where level >= 2 or way = 5 order by 1, 2, 3, 4, 5, 6",
      )
    ).rows;
  const before = (await stored()).filter((r) => r.sender > 0 && r.level < 3);
  const asked = ["", `exporter=${exporters[0]}&interface=1`, "site=Hestnes"].flatMap((scope) =>
    [
      [day + 3 * H, day + 75 * H],
      [day - 2 * 24 * H, day + 4 * 24 * H],
      [day + 24 * H, day + 31 * H],
    ].flatMap(([from, to]) => [
      `/traffic?${window(from!, to!)}&by=source&${scope}`,
      `/traffic/lists?${window(from!, to!)}&dimensions=application,source,pair,dscp,packet size&most=1000&${scope}`,
    ]),
  );
  const answers = async () => {
    const all = [];
    for (const path of asked) {
      const answer = await get<TrafficAnswer & Partial<TrafficLists>>(path);
      // which sums it was made of may differ
      all.push({ ...answer, asked: { ...answer.asked, sums: 0 } });
    }
    return all;
  };
  const told = await answers();
  const firstOpen = (level: { readonly widthUs: number }) => Math.floor((nowUs() - 24 * H) / level.widthUs);
  const made = async () => {
    while (await deriveSums(keeper as never, firstOpen));
  };
  await made();
  const derived = await stored();
  expect(derived.filter((r) => r.sender > 0 && r.level < 3)).toEqual(before);
  expect(derived.filter((r) => r.level === 3 && r.step === day / (24 * H)).length).toBeGreaterThan(20);
  expect(await answers()).toEqual(told);
  // late: added to what has been made, and to nothing else twice
  const { rows } = await client.query<{ id: number }>(
    "insert into job (name, state, started_us, updated_us) values ('y', 'done', 0, 0) returning id",
  );
  const claim = await claimCollector(client, "import-8", "import");
  await keep(flowsOf(22, 100, day + 8 * H, 40 * H), new BatchWriter(client, claim.number, rows[0]!.id));
  await sum();
  const late = await stored();
  await client.query("update traffic_derived set before = null");
  await client.query("delete from traffic_sum where level = 3 or sender = 0");
  const withoutDerived = await answers();
  await made();
  expect(await answers()).toEqual(withoutDerived);
  const anew = await stored();
  expect(anew.map(({ level, dimension, step, sender }) => [level, dimension, step, sender])).toEqual(
    late.map(({ level, dimension, step, sender }) => [level, dimension, step, sender]),
  );
  expect(await removeImport(client, rows[0]!.id)).toBe(100);
  expect(await answers()).toEqual(told);
});

test("a week before, told in five minutes, lies evenly over the minutes that are asked for", async () => {
  const at = T + 25 * H - 7 * 24 * H;
  const flow = { ...flowsOf(12, 1, at, MIN)[0]!, start: at, end: at + 10 * MIN, bytes: 6_000_000 };
  await keep([flow]);
  await sum();
  const { steps, step, asked } = await get<TrafficAnswer>(
    `/traffic?${window(T + 25 * H, T + 25 * H + 20 * MIN)}&by=total`,
  );
  expect(step).toBe(60);
  // nobody told anything then, which is said
  expect([asked.exporters, [...asked.silent].sort()]).toEqual([0, ["rt-hestnes", "rt-vardholm", "sw-hestnes"]]);
  expect(steps.map((s) => Math.round(s.weekBefore[0]! / 1_000))).toEqual([
    ...Array(10).fill(600),
    ...Array(10).fill(0),
  ]);
});

test("where a sampling exporter estimates, it is said how much and by which rate", async () => {
  const at = T - 20 * H;
  const flow = {
    ...flowsOf(10, 1, at, MIN)[0]!,
    start: at + MIN,
    end: at + 2 * MIN,
    bytes: 512_000,
    rate: 512,
    sender: exporters[2]!,
  };
  await keep([flow]);
  await sum();
  const { estimated, total } = await get<TrafficAnswer>(`/traffic?${window(at, at + H)}`);
  expect([estimated, total[0]!.bytes]).toEqual([{ bytes: 512_000, rate: 512 }, 512_000]);
});

test("places have their interfaces, and what a person says of one stands before its counters", async () => {
  const places = () => get<TrafficPlaces>("/traffic/places");
  const of = async () => (await places()).exporters.find((e) => e.id === exporters[0])!;
  expect(await of()).toMatchObject({ name: "rt-hestnes", site: "Hestnes" });
  expect((await of()).interfaces.map((i) => [i.index, i.name, i.capacity, i.metersIn, i.metersOut])).toEqual([
    [1, "interface 1", null, true, false],
    [2, "interface 2", null, true, false],
  ]);
  const say = (path: string, body: object) => api.patch(`/traffic/interfaces/${path}`, body);
  expect((await say(`${exporters[0]}/1`, { name: "wan0", capacity: 1e8 })).status).toBe(200);
  expect((await of()).interfaces[0]).toMatchObject({ name: "wan0", capacity: 1e8, capacityFrom: "hand" });
  expect((await get<TrafficAnswer>(`/traffic?${window(T, T + H)}&exporter=${exporters[0]}&interface=1`)).capacity).toBe(
    1e8,
  );
  expect(
    (
      await request(api.app)
        .patch(`/api/v1/traffic/interfaces/${exporters[0]}/1`)
        .set("authorization", `Bearer ${api.reader}`)
        .send({ name: "x", capacity: 1 })
    ).status,
  ).toBe(403);
  expect((await say("999999/1", { name: "x", capacity: 1 })).status).toBe(404);
  expect((await say(`${exporters[0]}/1`, { name: "x", capacity: 0 })).status).toBe(400);
  const { rows } = await client.query("select what from audit where what = 'interface described'");
  expect(rows).toHaveLength(1);
});

test.each([
  ["interface=1", 400],
  ["exporter=0", 400],
  ["by=colour", 400],
  [`exporter=${2 ** 40}`, 400],
  ["site=nowhere", 200],
])("%s is answered %d", async (query, status) => {
  await get(`/traffic?${window(T, T + H)}&${query}`, status);
});
test("a window of more than two years is refused, one without traffic is empty", async () => {
  await get(`/traffic?${window(T - 900 * 24 * H, T)}`, 400);
  const empty = await get<TrafficAnswer>(`/traffic?${window(T - 300 * 24 * H, T - 299 * 24 * H)}`);
  expect(empty.total).toEqual([{ bytes: 0, packets: 0, flows: 0 }]);
});

test("policies by their use: which are met, which are new, which are met no more and were when", async () => {
  const at = T + 24 * H;
  const decided = (atUs: number, action: "accept" | "deny", policy: string) => {
    const content = emptyContent("firewall", atUs, atUs + S);
    Object.assign(content, { src: "10.8.8.8", dst: "203.0.113.80", dstPort: 80, protocol: 6, action });
    return { sender: exporters[0]!, content: Object.assign(content, { data: [["policy", policy]] }) };
  };
  await store.put([
    decided(at - 50 * H, "accept", "Old web"),
    decided(at - 40 * H, "accept", "standing"),
    decided(at, "accept", "standing"),
    decided(at, "deny", "standing"),
    decided(at, "deny", "fresh"),
  ]);
  const { met, unmet } = await get<PoliciesAnswer>(`/traffic/policies?${window(at - 10 * S, at + H)}`);
  expect(met.map((p) => [p.policy, p.accept, p.deny, p.reject, p.isNew])).toEqual([
    ["standing", 1, 1, 0, false],
    ["fresh", 0, 1, 0, true],
  ]);
  expect(unmet.map((p) => [p.policy, p.last, p.before])).toContainEqual(["Old web", formatUs(at - 50 * H), 1]);
});

test("was it allowed: accepts on one port, rejects on another, by which policy, and what does not go together", async () => {
  const at = T + 20 * H;
  const decided = (atUs: number, dstPort: number, action: "accept" | "deny" | "reject", policy: string) => {
    const content = emptyContent("firewall", atUs, atUs + S);
    Object.assign(content, { src: "10.7.7.7", dst: "203.0.113.80", srcPort: 40_000, dstPort, protocol: 6, action });
    Object.assign(content, { data: [["policy", policy]] });
    return { sender: exporters[0]!, content };
  };
  await store.put([
    decided(at, 80, "accept", "web"),
    decided(at + S, 443, "reject", "no tls"),
    decided(at + 2 * S, 25, "deny", "no mail"),
  ]);
  const flow = {
    sender: exporters[0]!,
    src: "10.7.7.7",
    dst: "203.0.113.80",
    ingress: 1,
    egress: 2,
    tos: 0,
    rate: 1,
    start: at,
  };
  await keep([
    { ...flow, end: at + MIN, port: 80, bytes: 50_000 },
    { ...flow, end: at + MIN, port: 25, bytes: 90_000 },
  ]);
  const check = (query: string) => get<PolicyAnswer>(`/traffic/policy?${window(at - H, at + H)}&${query}`);
  const answer = await check("src=10.7.0.0/16&dst=203.0.113.80");
  expect(answer).toMatchObject({ decisions: 3, flows: 2, partial: false });
  expect(answer.ports.map((p) => [p.label, p.accept, p.deny, p.reject, p.flows])).toEqual([
    ["25/tcp smtp", 0, 1, 0, 1],
    ["80/tcp www-http", 1, 0, 0, 1],
    ["443/tcp https", 0, 0, 1, 0],
  ]);
  expect(answer.policies.map((p) => [p.policy, p.action, p.device])).toEqual([
    ["web", "accept", "rt-hestnes"],
    ["no tls", "reject", "rt-hestnes"],
    ["no mail", "deny", "rt-hestnes"],
  ]);
  expect(answer.contradictions.map((c) => [c.code, c.port])).toEqual([["denied and yet flowed", 25]]);
  expect(await check("src=10.7.7.7&port=443")).toMatchObject({ decisions: 1, flows: 0 });
  expect(await check("dst=192.0.2.1")).toMatchObject({ decisions: 0, flows: 0, ports: [], policies: [] });
  await get(`/traffic/policy?${window(at, at + H)}&src=somewhere`, 400);
  await get(`/traffic/policy?${window(at, at + H)}&port=99999`, 400);
});
