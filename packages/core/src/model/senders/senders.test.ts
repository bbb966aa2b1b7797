import { compileFilter, parseFilter } from "../../query/filter/index.js";
import { testRecord } from "../../testing/record.js";
import { Cadence, ClockOffset, CopyFinder, newSender, SenderDirectory } from "./index.js";

const S = 1e6;

describe("clock offset (semantics 3)", () => {
  test("a late burst does not move it: delay is one-sided", () => {
    const clock = new ClockOffset();
    for (let i = 0; i < 180; i++) clock.observe(i * 6 * S, i * 6 * S + 47 * S + (i % 7) * 10_000);
    for (let i = 180; i < 200; i++) clock.observe(i * 6 * S, i * 6 * S + 600 * S);
    expect(Math.round(clock.appliedUs / S)).toBe(47);
  });
  test("however many a forwarder brings at once after an hour without a connection", () => {
    const clock = new ClockOffset();
    for (let i = 0; i < 200; i++) clock.observe(i * 6 * S, i * 6 * S + 0.1 * S);
    const back = 1_200 * S + 3_600 * S;
    for (let i = 0; i < 5_000; i++) clock.observe(1_200 * S + i * 0.7 * S, back + i * 10_000);
    expect(clock.appliedUs).toBe(0);
  });
  test("nor is a first delivery of old stamps taken for the clock", () => {
    const clock = new ClockOffset();
    for (let i = 0; i < 5_000; i++) clock.observe(i * S, 90_000 * S + i * 10_000);
    expect(clock.appliedUs).toBe(0);
  });
  test("of a busy minute the quickest count", () => {
    const clock = new ClockOffset();
    for (let i = 0; i < 6_000; i++) clock.observe(i * 0.1 * S, i * 0.1 * S + (i % 60 === 59 ? 30 : 90) * S);
    expect(clock.appliedUs / S).toBeCloseTo(30, 3);
  });
  test("nothing is applied within 2 s, nor before 20 stamps", () => {
    const clock = new ClockOffset();
    for (let i = 0; i < 80; i++) clock.observe(i * 6 * S, i * 6 * S + 1.9 * S);
    expect(clock.appliedUs).toBe(0);
    const young = new ClockOffset();
    for (let i = 0; i < 19; i++) young.observe(0, i * 60 * S);
    expect(young.appliedUs).toBe(0);
  });
});

describe("cadence (semantics 12)", () => {
  const every = (seconds: number, n: number) => {
    const cadence = new Cadence();
    for (let i = 0; i <= n; i++) cadence.observe(i * seconds * S);
    return cadence;
  };
  test("a chatty sender is silent after 5 minutes at the least", () =>
    expect(every(10, 500).silenceBoundUs(0)).toBe(300 * S));
  test("a slow one after three times its longest usual gap", () => {
    const bound = every(600, 500).silenceBoundUs(0)!;
    expect(bound).toBeGreaterThan(1_200 * S);
    expect(bound).toBeLessThan(3_600 * S);
  });
  test("events of one request, and a burst, are heard once; one that never rests has a cadence all the same", () => {
    const batches = new Cadence();
    for (let i = 0; i <= 500; i++) for (const n of [0, 0, 0, 1, 400]) batches.observe(i * 30 * S + n);
    expect(batches.usualGapUs()).toBe(every(30, 500).usualGapUs());
    const restless = new Cadence();
    for (let i = 0; i < 1_000; i++) restless.observe(i * 100);
    expect(restless.usualGapUs()).toBeLessThanOrEqual(2_000);
    // as it was kept before: half of its gaps between events of one request
    const kept = every(30, 500).save();
    const counts = kept.counts.map((n, i) => (i % 32 === 0 ? 1_000 : n));
    expect(new Cadence({ ...kept, counts }).usualGapUs()).toBe(every(30, 500).usualGapUs());
  });
  test("nothing is known of a new one", () => expect(every(10, 10).silenceBoundUs(0)).toBeNull());
  test("parts learnt apart add up", () => {
    const parts = [every(10, 100), every(10, 100)].map((c) => c.takeLearnt());
    expect(new Cadence(Cadence.sum(parts[0]!, parts[1]!)).usualGapUs()).toBe(every(10, 200).usualGapUs());
  });
});

describe("copies over relays (semantics 10)", () => {
  const record = (text: string, receivedUs: number) =>
    testRecord({ host: "a", deviceTime: "Oct 11 22:14:15", text, receivedUs });
  test("what is not stored after all has no copies: what comes by the other path is the original", () => {
    const copies = new CopyFinder();
    expect(copies.check(record("x", 0), "direct", "udp", 1)).toBeNull();
    copies.forgetLast();
    expect(copies.check(record("x", 1), "relay", "udp", 2)).toBeNull();
    expect(copies.check(record("x", 2), "third", "udp", 3)).toBe(2);
    // of a copy there is nothing to forget
    copies.forgetLast();
    expect(copies.check(record("x", 3), "fourth", "udp", 4)).toBe(2);
  });
  test("the same by another path is a copy, the n-th of the n-th; on one path repeats are real", () => {
    const copies = new CopyFinder();
    expect(copies.check(record("x", 0), "direct", "udp", 1)).toBeNull();
    expect(copies.check(record("x", 1), "direct", "udp", 2)).toBeNull();
    expect(copies.check(record("x", 2), "relay", "udp", 3)).toBe(1);
    expect(copies.check(record("x", 3), "relay", "udp", 4)).toBe(2);
    expect(copies.check(record("x", 4), "relay", "udp", 5)).toBeNull();
  });
  test("another text, or more than 10 s later, is no copy", () => {
    const copies = new CopyFinder();
    copies.check(record("x", 0), "direct", "udp", 1);
    expect(copies.check(record("y", 1), "relay", "udp", 2)).toBeNull();
    expect(copies.check(record("x", 11 * S), "relay", "udp", 3)).toBeNull();
  });
  test("without a device time equal texts prove nothing", () => {
    const copies = new CopyFinder();
    copies.check(testRecord({ host: "a", text: "x" }), "direct", "udp", 1);
    expect(copies.check(testRecord({ host: "a", text: "x" }), "relay", "udp", 2)).toBeNull();
  });
});

test("the directory names Halvik itself and unknown ids", () => {
  const directory = new SenderDirectory([]);
  expect([directory.name(0), directory.name(7)]).toEqual(["halvik", "sender 7"]);
});

describe("what a name means", () => {
  const directory = new SenderDirectory([
    newSender(1, "bridge-1", { formerNames: ["brygge-1", "old"], formerAddresses: ["10.20.0.1"], role: "Firewall" }),
    newSender(2, "old", { addresses: ["10.20.0.2"], tags: ["PCI scope", "shore"] }),
    newSender(3, "quay", { formerNames: ["brygge-1"], formerAddresses: ["10.20.0.2"], groups: ["shore"] }),
  ]);
  test.each([
    ["bridge-1", [1]],
    // no longer anybody's: whoever bore it
    ["BRYGGE-1", [1, 3]],
    ["10.20.0.1", [1]],
    // gone over to another: that one
    ["old", [2]],
    ["10.20.0.2", [2]],
    ["nobody", []],
  ])("%s", (name, ids) => expect(directory.idsOf(name)).toEqual(ids));
  test.each([
    ["role", "firewall", [1]],
    ["tag", "pci SCOPE", [2]],
    ["tag", "shore", [2]],
    ["group", "shore", [3]],
    ["site", "shore", []],
  ] as const)("%s %s", (trait, name, ids) => expect(directory.idsWith(trait, [name])).toEqual(ids));
  test.each([
    ["sender is brygge-1", true],
    ["sender is 10.20.0.1", true],
    ["sender in role firewall", true],
    ["sender in tag shore", false],
    ["not sender in tag shore", true],
  ])("%s", (text, isMet) => {
    const read = parseFilter(text, { directory, zone: "UTC" });
    if (!read.ok) throw new Error(read.error.message);
    const met = compileFilter(read.filter, { directory, nowUs: 0 });
    expect(met(testRecord({ sender: 1 }))).toBe(isMet);
  });
  test("a tag nobody has is a mistake that says so", () => {
    const read = parseFilter("sender in tag shoer", { directory, zone: "UTC" });
    expect(read.ok ? null : [read.error.code, read.error.suggestion]).toEqual(["UNKNOWN_VALUE", "shore"]);
  });
});
