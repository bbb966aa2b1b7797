import { mkdtempSync, readdirSync, readFileSync, rmSync, statSync, truncateSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { crc32 } from "node:zlib";
import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
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
