import fc from "fast-check";
import { parseNetwork } from "../base/net/index.js";
import { US_PER_DAY, US_PER_HOUR, US_PER_MINUTE, US_PER_SECOND } from "../base/time/index.js";
import { Applications, NO_APPLICATIONS } from "../model/applications/index.js";
import { SenderDirectory } from "../model/senders/index.js";
import { compileFilter, parseFilter } from "../query/filter/index.js";
import { testRecord } from "../testing/record.js";
import {
  boundValues,
  CUT,
  DIMENSIONS,
  type Dimension,
  eachStep,
  type FlowSeen,
  filterOf,
  LEVELS,
  mergeValues,
  NO_SITES,
  passagesOf,
  sayValue,
  sitesOf,
  stretchOf,
  TrafficSums,
  WAYS,
} from "./index.js";

const MIN = US_PER_MINUTE;
const NOON = 1_764_331_200 * US_PER_SECOND;

const flow = (more: Partial<FlowSeen> = {}): FlowSeen => ({
  sender: 1,
  timeUs: NOON + MIN,
  startUs: NOON,
  src: "10.20.4.31",
  dst: "203.0.113.9",
  srcPort: 50_000,
  dstPort: 443,
  protocol: 6,
  bytes: 60_000,
  packets: 60,
  reverseBytes: 0,
  reversePackets: 0,
  ingress: 1,
  egress: 2,
  direction: null,
  tos: 184,
  tcpFlags: 27,
  srcAs: null,
  dstAs: null,
  application: null,
  samplingRate: 1,
  ...more,
});
const summed = (flows: readonly FlowSeen[], site: (sender: number) => string | null = () => null) => {
  const sums = new TrafficSums({ ...NO_SITES, ofExporter: site });
  for (const f of flows) sums.add(f);
  return sums.take();
};
const D = (d: Dimension) => DIMENSIONS.indexOf(d);
const W = (w: (typeof WAYS)[number]) => WAYS.indexOf(w);
const bytesOf = (sums: readonly TrafficSum[], way: number, dimension = 0): number =>
  sums.filter((s) => s.way === way && s.dimension === dimension).reduce((sum, s) => sum + s.bytes, 0);
/** A row for every value, as is easier to ask. */
const level = (all: ReturnType<typeof summed>, name: string) =>
  all
    .find((l) => l.level.name === name)!
    .rows.flatMap(({ values, ...row }) => [...values].map(([value, amounts]) => ({ ...row, value, ...amounts })));
type TrafficSum = ReturnType<typeof level>[number];

describe("spread over time", () => {
  const steps = (start: number | null, end: number, bytes: number, widthUs = MIN): [number, number][] => {
    const out: [number, number][] = [];
    eachStep(stretchOf(start, end), Number.NEGATIVE_INFINITY, widthUs, bytes, 0, (step, b) => out.push([step, b]));
    return out;
  };
  test.each<[string, number | null, number, number, [number, number][]]>([
    ["within a step", 10, 50, 100, [[0, 100]]],
    [
      "over two",
      30,
      90,
      100,
      [
        [0, 50],
        [1, 50],
      ],
    ],
    [
      "the remainder is in the last step",
      0,
      180,
      100,
      [
        [0, 33],
        [1, 33],
        [2, 34],
      ],
    ],
    ["what ends at a boundary lies before it", 0, 60, 7, [[0, 7]]],
    ["without a beginning", null, 60, 7, [[1, 7]]],
    ["a moment", 60, 60, 7, [[1, 7]]],
    ["ended before it began", 90, 60, 7, [[1, 7]]],
    ["longer than a day", 0, 86_401, 7, [[1_440, 7]]],
  ])("%s", (_, start, end, bytes, want) =>
    expect(steps(start === null ? null : start * US_PER_SECOND, end * US_PER_SECOND, bytes)).toEqual(want),
  );

  test("steps of any width add up to one another and to the whole; none holds more than it should", () =>
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 5 * 60_000 }),
        fc.integer({ min: 0, max: 3 * 60_000 }),
        fc.integer({ min: 0, max: 2 ** 50 }),
        (startMs, lengthMs, bytes) => {
          const start = NOON + startMs * 1_000;
          const end = start + lengthMs * 1_000;
          const fine = steps(start, end, bytes);
          const coarse = steps(start, end, bytes, 5 * MIN);
          expect(fine.reduce((sum, [, b]) => sum + b, 0)).toBe(bytes);
          for (const [step, b] of coarse)
            expect(fine.filter(([s]) => Math.floor(s / 5) === step).reduce((sum, [, x]) => sum + x, 0)).toBe(b);
          for (const [step, b] of fine) {
            const within = Math.min(end, (step + 1) * MIN) - Math.max(start, step * MIN);
            if (end > start)
              expect(b).toBeLessThanOrEqual(Math.ceil((bytes * within) / (end - start)) + 1 + bytes * 1e-12);
          }
        },
      ),
    ));

  test.each([1, 5, 30])("a constant rate cut by an active timeout of %i minutes is a flat line", (minutes) => {
    const flows: FlowSeen[] = [];
    for (let m = 0; m < 120; m += minutes)
      flows.push(
        flow({
          startUs: NOON + m * MIN,
          timeUs: NOON + (m + minutes) * MIN,
          bytes: minutes * 6_000_000,
          packets: minutes * 6_000,
        }),
      );
    const minute = level(summed(flows), "minute").filter((s) => s.way === W("in") && s.dimension === D("total"));
    const bytes = minute.filter((s) => s.bytes > 0).map((s) => s.bytes);
    expect(bytes).toHaveLength(120);
    for (const b of bytes) expect(Math.abs(b - 6_000_000)).toBeLessThanOrEqual(1);
  });
});

describe("counted once", () => {
  /** What went from a to b, as the exporters on the way tell of it. */
  const conversations = fc.array(
    fc.record({
      src: fc.constantFrom("10.1.1.1", "10.1.1.2", "10.2.2.2"),
      dst: fc.constantFrom("10.3.3.3", "10.4.4.4"),
      port: fc.integer({ min: 40_000, max: 40_400 }),
      startS: fc.integer({ min: 0, max: 3_000 }),
      seconds: fc.integer({ min: 1, max: 1_500 }),
      rate: fc.integer({ min: 100, max: 1_000_000 }),
    }),
    { minLength: 1, maxLength: 12 },
  );
  /** One record for every stretch between its own active timeouts, exported at its end. */
  function told(
    c: { src: string; dst: string; port: number; startS: number; seconds: number; rate: number },
    sender: number,
    timeoutS: number,
  ) {
    const out: FlowSeen[] = [];
    for (let at = 0; at < c.seconds; at += timeoutS) {
      const length = Math.min(timeoutS, c.seconds - at);
      out.push(
        flow({
          sender,
          src: c.src,
          dst: c.dst,
          srcPort: c.port,
          startUs: NOON + (c.startS + at) * US_PER_SECOND,
          timeUs: NOON + (c.startS + at + length) * US_PER_SECOND,
          bytes: c.rate * length,
          packets: length,
        }),
      );
    }
    return out;
  }
  const distinct = (all: { src: string; dst: string; port: number }[]) =>
    new Set(all.map((c) => `${c.src} ${c.dst} ${c.port}`)).size === all.length;
  const byExport = (flows: FlowSeen[]) => flows.sort((a, b) => a.timeUs - b.timeUs || a.sender - b.sender);

  test("two to four hops, each with its own timeout", () =>
    fc.assert(
      fc.property(
        conversations.filter(distinct),
        fc.array(fc.constantFrom(60, 300, 1_800), { minLength: 2, maxLength: 4 }),
        (all, timeouts) => {
          const flows = byExport(all.flatMap((c) => timeouts.flatMap((t, hop) => told(c, hop + 1, t))));
          const five = level(summed(flows), "five");
          const sent = all.reduce((sum, c) => sum + c.rate * c.seconds, 0);
          expect(Math.abs(bytesOf(five, W("once")) - sent)).toBeLessThanOrEqual(
            sent * 0.002 + all.length * timeouts.length * 40,
          );
          // as exported: as often as there are exporters
          expect(bytesOf(five, W("in"))).toBe(sent * timeouts.length);
        },
      ),
      { numRuns: 40 },
    ));
  test("what one of them lost counts by what the other tells", () =>
    fc.assert(
      fc.property(conversations.filter(distinct), fc.integer({ min: 2, max: 5 }), (all, every) => {
        const first = all.flatMap((c) => told(c, 1, 60)).filter((_, i) => i % every !== 0);
        const flows = byExport([...first, ...all.flatMap((c) => told(c, 2, 60))]);
        const sent = all.reduce((sum, c) => sum + c.rate * c.seconds, 0);
        expect(bytesOf(level(summed(flows), "five"), W("once"))).toBe(sent);
      }),
      { numRuns: 40 },
    ));
  test("in each lane by itself; of more lanes than are remembered, the one added to last is known", () => {
    const sums = new TrafficSums(NO_SITES);
    const tell = (sender: number, lane: string) => sums.add(flow({ sender }), lane);
    const once = () => bytesOf(level(sums.take(), "five"), W("once")) / 60_000;
    for (const lane of ["heard", "import 1"]) for (const sender of [1, 2]) tell(sender, lane);
    expect(once()).toBe(2);
    // every import is the oldest one day; what is heard goes on
    for (let i = 2; i < 200; i++) {
      tell(1, `import ${i}`);
      tell(3, "heard");
    }
    expect(once()).toBe(198);
    tell(4, "import 199");
    tell(4, "import 1");
    expect(once()).toBe(1);
  });
  test.each<[string, Partial<FlowSeen>]>([
    ["a port that was not told is not port 0", { srcPort: null }],
    ["nor is the other", { dstPort: null }],
    ["a protocol that was not told is not protocol 0", { protocol: null }],
    ["ports the other way round", { srcPort: 443, dstPort: 50_000 }],
  ])("%s: another conversation", (_what, other) => {
    const zero = { srcPort: other.srcPort === null ? 0 : 50_000, dstPort: other.dstPort === null ? 0 : 443 };
    const known = flow({ ...zero, protocol: other.protocol === null ? 0 : 6 });
    const five = level(summed([known, { ...known, ...other, sender: 2 }]), "five");
    expect(bytesOf(five, W("once"))).toBe(120_000);
  });
  test("an exporter that meters where traffic comes in and where it goes out", () => {
    const both = [flow({ direction: 0 }), flow({ direction: 1 })];
    const five = level(summed(both), "five");
    expect(bytesOf(five, W("once"))).toBe(60_000);
    const of = (way: number, iface: number) =>
      bytesOf(
        five.filter((s) => s.interface === iface),
        way,
      );
    expect([of(W("in"), 1), of(W("out"), 2), of(W("in, mentioned"), 1), of(W("out, mentioned"), 2)]).toEqual([
      60_000, 60_000, 60_000, 60_000,
    ]);
  });
  test("an exporter that samples counts only where none counts every packet", () => {
    const exact = flow({ sender: 1 });
    const sampled = (more: Partial<FlowSeen> = {}) =>
      flow({
        sender: 2,
        samplingRate: 512,
        startUs: null,
        bytes: 512 * 1_400,
        packets: 512,
        timeUs: NOON + 90 * US_PER_SECOND,
        ...more,
      });
    const five = level(summed([exact, sampled(), sampled({ src: "10.9.9.9" })]), "five");
    expect(bytesOf(five, W("once"))).toBe(60_000 + 512 * 1_400);
    const total = five.filter((s) => s.way === W("once") && s.dimension === 0 && s.sender === 2);
    expect(total.map((s) => [s.estimated, s.rate])).toEqual([[512 * 1_400, 512]]);
  });
  test("the same ports next week are another conversation; one from long before is not the one that is known", () => {
    const week = 7 * US_PER_DAY;
    const at = (us: number, sender: number) => flow({ sender, startUs: NOON + us, timeUs: NOON + us + MIN });
    const flows = [at(week, 1), at(0, 2), at(2 * week, 2)];
    expect(bytesOf(level(summed(flows), "five"), W("once"))).toBe(180_000);
  });
  test("at each site for itself", () => {
    const flows = [1, 2, 3].map((sender) => flow({ sender }));
    const five = level(
      summed(flows, (sender) => (sender < 3 ? "Hestnes" : "Vardholm")),
      "five",
    );
    expect(bytesOf(five, W("once at the site"))).toBe(120_000);
    expect(bytesOf(five, W("once"))).toBe(60_000);
  });
});

test("a record that tells both ways is two passages and one flow", () => {
  const passages = passagesOf(flow({ reverseBytes: 900, reversePackets: 3 }));
  expect(passages.map((p) => [p.src, p.dst, p.bytes, p.flows, p.ingress, p.egress, p.server])).toEqual([
    ["10.20.4.31", "203.0.113.9", 60_000, 1, 1, 2, "203.0.113.9"],
    ["203.0.113.9", "10.20.4.31", 900, 0, 2, 1, "203.0.113.9"],
  ]);
});

test("hours are the sums of their five minutes, in every dimension; flows are counted by their own time", () => {
  const flows = Array.from({ length: 400 }, (_, i) =>
    flow({
      startUs: NOON + i * 17 * US_PER_SECOND,
      timeUs: NOON + i * 17 * US_PER_SECOND + (i % 7) * 100 * US_PER_SECOND,
      src: `10.0.0.${i % 40}`,
      bytes: i * 977,
    }),
  );
  const all = summed(flows);
  const total = (sums: readonly TrafficSum[], d: number, field: "bytes" | "flows" | "packets") =>
    sums.filter((s) => s.way === 0 && s.dimension === d).reduce((sum, s) => sum + s[field], 0);
  for (const d of [D("total"), D("source"), D("service")])
    for (const field of ["bytes", "flows", "packets"] as const)
      expect(total(level(all, "hour"), d, field)).toBe(total(level(all, "five"), d, field));
  expect(total(level(all, "five"), 0, "flows")).toBe(400);
  expect(total(level(all, "minute"), 0, "bytes")).toBe(flows.reduce((sum, f) => sum + f.bytes, 0));
  const hour = level(all, "hour").filter((s) => s.way === 0 && s.dimension === 0 && s.flows > 0);
  const byTime = new Map<number, number>();
  for (const f of flows)
    byTime.set(Math.floor(f.timeUs / US_PER_HOUR), (byTime.get(Math.floor(f.timeUs / US_PER_HOUR)) ?? 0) + 1);
  expect(new Map(hour.map((s) => [s.step, s.flows]))).toEqual(byTime);
});

test("of a flood of values the greatest stay, and it is said how great what went was at most", () => {
  const flows = Array.from({ length: 5_000 }, (_, i) =>
    flow({ src: `10.${i >> 16}.${(i >> 8) & 255}.${i & 255}`, bytes: i === 17 ? 1e9 : 100 + (i % 50) }),
  );
  const sources = level(summed(flows), "five").filter((s) => s.way === 0 && s.dimension === D("source"));
  expect(sources.length).toBeLessThanOrEqual(2_002);
  expect(sources.find((s) => s.value === "10.0.0.17")?.bytes).toBe(1e9);
  const cut = sources.find((s) => s.value === CUT)!;
  expect(cut.bytes).toBeGreaterThanOrEqual(100);
  expect(cut.bytes).toBeLessThanOrEqual(149 * 5);
  expect(bytesOf(level(summed(flows), "five"), 0)).toBe(flows.reduce((sum, f) => sum + f.bytes, 0));
});

describe("values in words, and the filter that finds their flows", () => {
  const apps = new Applications(
    [{ name: "ticket sales", protocol: 6, lowPort: 7_420, highPort: null, network: null }],
    { "443/tcp": ["https", ""], "53/udp": ["domain", ""] },
  );
  test.each<[Dimension, string, string, string | null]>([
    ["application", "6 443", "https", "application is https"],
    ["application", "6 7420", "ticket sales", 'application is "ticket sales"'],
    ["application", "17 23470", "unnamed udp 23470", "protocol is 17 and port is 23470"],
    ["application", "said video call", "video call", 'application is "video call"'],
    ["application", "1 -1", "icmp", "protocol is 1"],
    ["dscp", "46", "46 expedited", "dscp is 46"],
    ["dscp", "0", "0 best effort", "dscp is 0"],
    ["dscp", "26", "26 af31", "dscp is 26"],
    ["source", "10.0.0.1", "10.0.0.1", "src is 10.0.0.1"],
    ["pair", "10.0.0.1 10.0.0.2", "10.0.0.1 → 10.0.0.2", "src is 10.0.0.1 and dst is 10.0.0.2"],
    ["service", "10.0.0.1 17 53", "10.0.0.1 :53 domain", "address is 10.0.0.1 and protocol is 17 and port is 53"],
    ["tcp flags", "18", "SYN ACK", "tcp flags is 18"],
    ["packet size", "128", "up to 128 octets", null],
    ["packet size", "Infinity", "over 1518 octets", null],
    ["as pair", "64500 0", "AS 64500 → AS 0", "src as is 64500 and dst as is 0"],
  ])("%s %s", (dimension, value, label, filter) => {
    const said = sayValue(dimension, value, apps);
    expect(said.label).toBe(label);
    expect(filterOf(dimension, value, said)).toBe(filter);
    if (filter !== null) expect(parseFilter(filter, { zone: "UTC" })).toMatchObject({ ok: true });
  });

  test("the filter of a value holds for the flow it came from", () => {
    const record = testRecord({
      kind: "flow",
      src: "10.0.0.1",
      dst: "10.0.0.2",
      srcPort: 53,
      dstPort: 40_001,
      protocol: 17,
      bytes: 100,
      packets: 1,
      flow: {
        ...testRecord({}).flow!,
        tos: 184,
        tcpFlags: 18,
        srcAs: 1,
        dstAs: 2,
        samplingRate: 1,
        startUs: null,
        application: null,
      } as never,
    });
    const f = flow({
      src: "10.0.0.1",
      dst: "10.0.0.2",
      srcPort: 53,
      dstPort: 40_001,
      protocol: 17,
      tos: 184,
      tcpFlags: 18,
      srcAs: 1,
      dstAs: 2,
    });
    for (const { dimension, value } of level(summed([f]), "five")) {
      const name = DIMENSIONS[dimension]!;
      const filter = filterOf(name, value, sayValue(name, value, NO_APPLICATIONS));
      if (filter === null) continue;
      const parsed = parseFilter(filter, { zone: "UTC" });
      expect(parsed.ok && compileFilter(parsed.filter, { directory: new SenderDirectory([]), nowUs: 0 })(record)).toBe(
        true,
      );
    }
  });
});

test("values are bounded by number and by part, and what went is noted each time", () => {
  const of = (bytes: number) => ({ bytes, packets: 1, flows: 1 });
  const values = new Map([
    ["a", of(600)],
    ["b", of(300)],
    ["c", of(95)],
    ["d", of(5)],
  ]);
  boundValues(values, 3, 0.01);
  expect([...values]).toEqual([
    ["a", of(600)],
    ["b", of(300)],
    ["c", of(95)],
    [CUT, of(5)],
  ]);
  boundValues(values, 3, 0.2);
  expect([...values.keys(), values.get(CUT)]).toEqual(["a", "b", CUT, { bytes: 100, packets: 2, flows: 2 }]);
  mergeValues(values, [["b", { bytes: -300, packets: -1, flows: -1 }]]);
  mergeValues(values, [["a", of(1)]]);
  expect([...values.keys(), values.get("a")]).toEqual(["a", CUT, { bytes: 601, packets: 2, flows: 2 }]);
});

test("levels go from fine to coarse, each a whole number of the one before", () => {
  for (const [i, { widthUs }] of LEVELS.entries()) if (i > 0) expect(widthUs % LEVELS[i - 1]!.widthUs).toBe(0);
});

describe("sites", () => {
  const block = (text: string, site: string) => ({ network: parseNetwork(text)!, site });
  const networks = [
    block("10.20.0.0/16", "Hestnes"),
    block("10.20.9.0/24", "Sundby"),
    block("2001:db8::/32", "Sundby"),
  ];
  const sites = sitesOf({ shared: new Map(), networks });

  test.each([
    ["10.20.1.1", "Hestnes"],
    ["10.20.9.1", "Sundby"],
    ["2001:db8::7", "Sundby"],
    ["192.0.2.1", null],
  ])("%s is at %s: the smallest block says it", (address, site) => {
    expect(sites.ofAddress(address)).toBe(site);
  });

  test("between sites, from one to elsewhere; what is at none is in no pair", () => {
    const sums = new TrafficSums(sites);
    for (const [src, dst] of [
      ["10.20.1.1", "10.20.9.1"],
      ["10.20.1.1", "192.0.2.1"],
      ["192.0.2.1", "192.0.2.2"],
    ] as const)
      sums.add(flow({ src, dst, bytes: 100 }));
    const rows = sums
      .take()
      .find((l) => l.level.name === "hour")!
      .rows.filter((r) => r.dimension === D("site pair") && r.way === W("once"));
    const said = rows.flatMap((r) => [...r.values.keys()]).map((v) => sayValue("site pair", v, NO_APPLICATIONS).label);
    expect(said.sort()).toEqual(["Hestnes → Sundby", "Hestnes → elsewhere"]);
  });

  test("filters say the same blocks, where blocks can", () => {
    const of = (value: string) => filterOf("site pair", value, { label: "", isUnnamed: false }, networks);
    expect(of("Sundby\t")).toBe(
      "src within 10.20.9.0/24, 2001:db8::/32 and not dst within 10.20.0.0/16, 10.20.9.0/24, 2001:db8::/32",
    );
    expect(parseFilter(of("Sundby\t")!, { zone: "UTC" }).ok).toBe(true);
    // a part of Hestnes's block is Sundby's
    expect(of("Hestnes\tSundby")).toBeNull();
  });
});

test("protocols by their numbers, and as people call them", () => {
  const sums = new TrafficSums(NO_SITES);
  for (const protocol of [6, 17, 50, 253, null]) sums.add(flow({ protocol, bytes: 100 }));
  const rows = sums
    .take()
    .find((l) => l.level.name === "hour")!
    .rows.filter((r) => r.dimension === D("protocol") && r.way === W("once"));
  const values = rows.flatMap((r) => [...r.values.keys()]);
  expect(values.map((v) => sayValue("protocol", v, NO_APPLICATIONS).label).sort()).toEqual([
    "esp",
    "protocol 253",
    "tcp",
    "udp",
  ]);
  expect(filterOf("protocol", "50", { label: "esp", isUnnamed: false })).toBe("protocol is 50");
});
