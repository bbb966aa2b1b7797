import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { crc32 } from "node:zlib";
import fc from "fast-check";
import { PROTOCOLS } from "../arrivals/arrival.js";
import { type Damage, Spool, type SpooledBatch } from "./spool.js";

let directory: string;
beforeEach(() => {
  directory = mkdtempSync(join(tmpdir(), "halvik-spool-"));
});
afterEach(() => rmSync(directory, { recursive: true, force: true }));

const batch = (number: number, texts: readonly string[] = ["<13>a"]): SpooledBatch => ({
  number,
  throughUs: number * 1000.5,
  arrivals: texts.map((t) => ({
    endpoint: "syslog over UDP",
    peer: "2001:db8::7",
    receivedUs: 1_795_485_911_000_123,
    bytes: Buffer.from(t),
    protocol: PROTOCOLS[number % PROTOCOLS.length]!,
    held: number % 2 === 0,
    ...(number % 3 === 0 ? { cut: true } : {}),
  })),
});
const drain = async (spool: Spool) => {
  const out: SpooledBatch[] = [];
  for (let b = await spool.peek(); b !== null; b = await spool.peek()) {
    out.push(b);
    await spool.drop();
  }
  return out;
};
const plain = (batches: readonly SpooledBatch[]) =>
  batches.map((b) => ({ ...b, arrivals: b.arrivals.map((a) => ({ ...a, bytes: Buffer.from(a.bytes).toString() })) }));
const file = () => join(directory, readdirSync(directory)[0]!);

describe("the spool", () => {
  test("gives back what it took, in order, also after a restart, and leaves nothing behind", async () => {
    const spool = new Spool(directory, 1e6);
    for (const n of [3, 4, 5]) await spool.append(batch(n, ["<13>a", "", "å\0b"]));
    await spool.close();
    const again = new Spool(directory, 1e6);
    expect(again.lastNumber()).toBe(5);
    expect(plain(await drain(again))).toEqual(plain([3, 4, 5].map((n) => batch(n, ["<13>a", "", "å\0b"]))));
    expect([again.isEmpty, again.bytes, readdirSync(directory)]).toEqual([true, 0, []]);
  });
  test("what is appended while it is replayed comes too", async () => {
    const spool = new Spool(directory, 1e6);
    await spool.append(batch(1));
    await spool.append(batch(2));
    expect((await spool.peek())?.number).toBe(1);
    await spool.append(batch(3));
    expect((await drain(spool)).map((b) => b.number)).toEqual([1, 2, 3]);
  });
  test("a batch whose commit failed while later ones were put here comes before them, after a restart too", async () => {
    const spool = new Spool(directory, 1e6);
    for (const n of [11, 12, 10, 13]) await spool.append(batch(n));
    expect(new Spool(directory, 1e6).lastNumber()).toBe(13);
    expect((await drain(spool)).map((b) => b.number)).toEqual([10, 11, 12, 13]);
  });
  test("what is appended at the same time as it is read is read once, in order", async () => {
    const spool = new Spool(directory, 1e8);
    const numbers = Array.from({ length: 200 }, (_, i) => i + 1);
    const appended = Promise.all(numbers.map((n) => spool.append(batch(n, ["x".repeat(50_000)]))));
    const read: number[] = [];
    while (read.length < numbers.length) read.push(...(await drain(spool)).map((b) => b.number));
    await appended;
    expect(read).toEqual(numbers);
    expect([spool.isEmpty, spool.bytes]).toEqual([true, 0]);
  });
  test.each([
    ["cut in its middle", 40],
    ["cut in its header", 3],
  ])("an entry %s is told with its octets; those before it are whole", async (_what, left) => {
    const spool = new Spool(directory, 1e6);
    await spool.append(batch(1));
    const whole = statSync(file()).size;
    await spool.append(batch(2));
    await spool.close();
    truncateSync(file(), whole + left);
    const damage: Damage[] = [];
    const again = new Spool(directory, 1e6, (d) => damage.push(d));
    expect((await drain(again)).map((b) => b.number)).toEqual([1]);
    expect(damage.map((d) => [d.at, d.octets.length])).toEqual([[whole, left]]);
  });
  test("one flipped octet, wherever it is, costs the entry it is in and no other; its octets are told", async () => {
    const spool = new Spool(directory, 1e6);
    const ends = [0];
    for (const n of [1, 2, 3]) {
      await spool.append(batch(n, ["<13>first", "<13>second"]));
      ends.push(statSync(file()).size);
    }
    await spool.close();
    const sound = readFileSync(file());
    for (let at = 0; at < sound.length; at++) {
      const flipped = Buffer.from(sound);
      flipped[at]! ^= 0x10;
      writeFileSync(join(directory, "spool-0000000000000001.bin"), flipped);
      const damage: Damage[] = [];
      const read = (await drain(new Spool(directory, 1e6, (d) => damage.push(d)))).map((b) => b.number);
      const hit = ends.findIndex((end) => at < end);
      expect([at, read]).toEqual([at, [1, 2, 3].filter((n) => n !== hit)]);
      expect(damage.map((d) => d.octets.length)).toEqual([ends[hit]! - ends[hit - 1]!]);
    }
  });
  test("files written before entries had a magic are read", async () => {
    const spool = new Spool(directory, 1e6);
    await spool.append(batch(7, ["<13>of before"]));
    await spool.close();
    const body = readFileSync(file()).subarray(20);
    const header = Buffer.alloc(8);
    header.writeUInt32BE(body.length, 0);
    header.writeUInt32BE(crc32(body) >>> 0, 4);
    writeFileSync(file(), Buffer.concat([header, body, header, body]));
    expect((await drain(new Spool(directory, 1e6))).map((b) => b.number)).toEqual([7, 7]);
  });
  test("when it is full it says so and keeps what it has", async () => {
    const spool = new Spool(directory, 200);
    expect(await spool.append(batch(1))).toBe(true);
    expect(await spool.append(batch(2, ["x".repeat(500)]))).toBe(false);
    expect((await drain(spool)).map((b) => b.number)).toEqual([1]);
  });
});

test("what may be sent again keeps its key on disk", async () => {
  const spool = new Spool(directory, 1e6);
  const keyed = batch(1, ["<13>a", "<13>b"]);
  const requestKey = "00ff".repeat(16);
  await spool.append({ ...keyed, arrivals: [{ ...keyed.arrivals[0]!, requestKey }, keyed.arrivals[1]!] });
  const [read] = await drain(spool);
  expect(read!.arrivals.map((a) => [a.requestKey, Buffer.from(a.bytes).toString()])).toEqual([
    [requestKey, "<13>a"],
    [undefined, "<13>b"],
  ]);
});

/**
 * What a crash leaves: all that was synced, and of the entry that was being written any part of its octets, or none. Whatever was answered
 * for is read back once, in order; of what was half written nothing is taken for a batch.
 */
test("over any sequence of appends, reads and crashes nothing that was kept is lost, and nothing comes twice", async () => {
  type Step =
    | { readonly do: "append"; readonly size: number }
    | { readonly do: "take"; readonly n: number }
    | { readonly do: "crash"; readonly share: number };
  const step: fc.Arbitrary<Step> = fc.oneof(
    { weight: 4, arbitrary: fc.record({ do: fc.constant("append" as const), size: fc.integer({ min: 0, max: 400 }) }) },
    { weight: 2, arbitrary: fc.record({ do: fc.constant("take" as const), n: fc.integer({ min: 1, max: 4 }) }) },
    {
      weight: 2,
      arbitrary: fc.record({ do: fc.constant("crash" as const), share: fc.double({ min: 0, max: 1, noNaN: true }) }),
    },
  );
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 25 }), async (steps) => {
      const own = mkdtempSync(join(tmpdir(), "halvik-spool-"));
      try {
        const open = () => new Spool(own, 1e7);
        let spool = open();
        let number = 0;
        const kept: number[] = [];
        const taken: number[] = [];
        /** Taken since the last start: a crash forgets that of a file that is not finished, and they come again. */
        let sinceStart: number[] = [];
        const take = async (most: number) => {
          for (let i = 0; i < most; i++) {
            const b = await spool.peek();
            if (b === null) return;
            expect(Buffer.from(b.arrivals[0]!.bytes).toString()).toBe(`<13>${b.number}`.padEnd(4 + 6, "."));
            if (!taken.includes(b.number)) taken.push(b.number);
            sinceStart.push(b.number);
            await spool.drop();
          }
        };
        for (const s of steps) {
          if (s.do === "append") {
            number++;
            expect(await spool.append(batch(number, [`<13>${number}`.padEnd(10, "."), "x".repeat(s.size)]))).toBe(true);
            kept.push(number);
          } else if (s.do === "take") await take(s.n);
          else {
            await spool.close();
            // an entry that was being written when it crashed
            const newest = readdirSync(own).sort().at(-1);
            if (newest !== undefined) {
              const path = join(own, newest);
              const whole = readFileSync(path);
              const next = whole.subarray(0, Math.floor(whole.length * s.share * 0.9));
              if (next.length > 0 && next.length < 60) writeFileSync(path, Buffer.concat([whole, next]));
            }
            expect(new Set(sinceStart).size).toBe(sinceStart.length);
            sinceStart = [];
            spool = open();
            number = Math.max(number, spool.lastNumber());
          }
        }
        await take(Number.POSITIVE_INFINITY);
        expect([...taken].sort((a, b) => a - b)).toEqual(kept);
        expect([spool.isEmpty, spool.bytes, readdirSync(own)]).toEqual([true, 0, []]);
        await spool.close();
      } finally {
        rmSync(own, { recursive: true, force: true });
      }
    }),
    { seed: 12, numRuns: 60 },
  );
});
